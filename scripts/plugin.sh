#!/usr/bin/env bash
# Gets a plug-in of the runtime into vendor/plugins: webgpu (graphics processors of all makers), openvino (processors and graphics processors of one).
set -euo pipefail
cd "$(dirname "$(readlink -f "$0")")/.."
# shellcheck source=scripts/setup.sh
. scripts/setup.sh
[ $# -eq 1 ] || fail "usage: scripts/plugin.sh webgpu|openvino"
need_plugin "$1" || fail "the plug-in $1 could not be had from the Python package index: is the network there?"
say "The plug-in $1 is in vendor/plugins: its devices are tried when Dettaglio is next started, or by: dettaglio devices"
