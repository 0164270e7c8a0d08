# What ./start and ./check share: getting what is missing and building what has changed. Sourced, not run.

ONNXRUNTIME_VERSION=1.32.0

say() { printf '%s\n' "$*" >&2; }
fail() { say "dettaglio: $*"; exit 1; }

# Fails when fewer than $1 gigabytes are free here and nothing was built yet.
need_disk() {
  [ -d target/release ] && return 0
  local free
  free=$(df --output=avail -BG . | tail -n 1 | tr -dc 0-9)
  [ "$free" -ge "$1" ] || fail "the disk has $free GB free and building needs $1 GB: free some space and run this again"
}

# The three tools that must be there already.
need_tools() {
  local tool
  for tool in cargo npm python3; do
    command -v "$tool" >/dev/null || fail "$tool is not installed: Dettaglio is built with Rust, Node and Python 3"
  done
}

# need_debian PROGRAM PACKAGE...: installs Debian packages unless the program is there.
need_debian() {
  local program=$1 log
  shift
  PATH="$PATH:/usr/sbin" command -v "$program" >/dev/null && return 0
  command -v apt-get >/dev/null || fail "$program is missing and this is no Debian: install $* by hand"
  local as_root=()
  if [ "$(id -u)" -ne 0 ]; then
    command -v sudo >/dev/null || fail "$program is missing: install $* as root"
    as_root=(sudo)
  fi
  say "Installing $* ..."
  log=$(mktemp)
  # Debian starts a server when it is installed; this one is not wanted, and one that runs already is left alone.
  local policy=/usr/sbin/policy-rc.d made=false
  if [ ! -e $policy ]; then
    printf '#!/bin/sh\nexit 101\n' | "${as_root[@]}" tee $policy >/dev/null
    "${as_root[@]}" chmod +x $policy
    # shellcheck disable=SC2064
    trap "${as_root[*]} rm -f $policy" EXIT
    made=true
  fi
  "${as_root[@]}" apt-get update -qq >"$log" 2>&1 || true
  if ! "${as_root[@]}" env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "$@" >>"$log" 2>&1; then
    tail -n 5 "$log" >&2
    fail "$* could not be installed: is the network there? The whole story is in $log"
  fi
  if $made; then
    "${as_root[@]}" rm -f $policy
    trap - EXIT
  fi
  rm -f "$log"
}

# get_wheel NAME==VERSION FOLDER: a Python package as it is published, without what it needs.
get_wheel() {
  python3 -m pip download --quiet --disable-pip-version-check --no-deps --only-binary=:all: --dest "$2" "$1"
}

# The runtime's library, out of the Python wheel; no Python is needed to run it.
need_onnxruntime() {
  local folder=vendor/onnxruntime
  [ -n "${DETTAGLIO_ONNXRUNTIME:-}" ] && return 0
  [ "$(cat $folder/version 2>/dev/null)" = "$ONNXRUNTIME_VERSION" ] && return 0
  say "Getting ONNX Runtime $ONNXRUNTIME_VERSION ..."
  local work
  work=$(mktemp -d)
  get_wheel "onnxruntime==$ONNXRUNTIME_VERSION" "$work" || fail "onnxruntime $ONNXRUNTIME_VERSION could not be had from the Python package index: is the network there?"
  mkdir -p $folder
  python3 - "$work" $folder <<'PYTHON'
import glob, shutil, sys, zipfile
work, folder = sys.argv[1:]
(wheel,) = glob.glob(f"{work}/*.whl")
with zipfile.ZipFile(wheel) as archive:
    names = [n for n in archive.namelist() if "/libonnxruntime.so" in n]
    licences = [n for n in archive.namelist() if n.endswith(("LICENSE", "ThirdPartyNotices.txt"))]
    with archive.open(max(names, key=len)) as source, open(f"{folder}/libonnxruntime.so", "wb") as out:
        shutil.copyfileobj(source, out)
    for name in licences:
        open(f"{folder}/{name.rsplit('/', 1)[1]}", "wb").write(archive.read(name))
PYTHON
  echo "$ONNXRUNTIME_VERSION" >$folder/version
  rm -rf "$work"
}

# need_plugin NAME: a plug-in of the runtime, which reaches devices besides the processor, out of its Python wheel.
need_plugin() {
  local name=$1 version work
  case "$name" in
    webgpu) version=0.4.0 ;;   # graphics processors of all makers, through their drivers for Vulkan
    openvino) version=1.8.1 ;; # processors and graphics processors of one maker
    *) fail "there is no plug-in \"$name\": webgpu or openvino" ;;
  esac
  local folder=vendor/plugins/$name
  [ "$(cat $folder/version 2>/dev/null)" = "$version" ] && return 0
  say "Getting the plug-in $name $version ..."
  work=$(mktemp -d)
  get_wheel "onnxruntime-ep-$name==$version" "$work" || { rm -rf "$work"; return 1; }
  rm -rf "$folder"
  mkdir -p "$folder"
  python3 - "$work" "$folder" <<'PYTHON'
import glob, os, shutil, sys, zipfile
work, folder = sys.argv[1:]
(wheel,) = glob.glob(f"{work}/*.whl")
with zipfile.ZipFile(wheel) as archive:
    for name in archive.namelist():
        base = os.path.basename(name)
        # Libraries, what they read, and licences; no Python.
        if ".so" in base or base == "cache.json" or "LICENSE" in base or "hird" in base:
            with archive.open(name) as source, open(f"{folder}/{base}", "wb") as out:
                shutil.copyfileobj(source, out)
PYTHON
  echo "$version" >"$folder/version"
  rm -rf "$work"
}

# The front end's packages, when the lock file is newer than what is installed.
need_node_modules() {
  [ web/node_modules/.package-lock.json -nt web/package-lock.json ] && return 0
  say "Getting the front end's packages ..."
  (cd web && npm ci --silent --no-audit --no-fund 2>&1 | { grep -v "npm warn" || true; }) || fail "npm could not get the front end's packages: is the network there?"
  touch web/node_modules/.package-lock.json
}

# The built front end, when a source is newer.
build_web() {
  if [ -f web/dist/index.html ] && [ -z "$(find web/src web/public docs/guide docs/screenshots web/index.html web/vite.config.ts web/package-lock.json -newer web/dist/index.html -print -quit)" ]; then
    return 0
  fi
  need_node_modules
  say "Building the front end ..."
  (cd web && npx --no-install vite build --logLevel warn 2>&1 | { grep -v "npm warn" || true; }) || fail "the front end could not be built"
  touch web/dist/index.html
}

# The programs; cargo itself sees to it that nothing is built twice, and says what it builds.
build_release() {
  if [ ! -x target/release/dettaglio-server ]; then
    say "Building the server; the first time this takes some minutes ..."
  fi
  cargo build --release --locked -p dettaglio-server -p dettaglio || fail "the server could not be built"
}

# run_unprivileged FOLDER PROGRAM...: becomes the program; where this is the superuser, as the ordinary user "dettaglio", who gets
# the data folder. No program of ours needs root, and the files of strangers are read by them.
run_unprivileged() {
  local folder=$1 user=dettaglio
  shift
  [ "$(id -u)" -eq 0 ] || exec "$@"
  getent passwd $user >/dev/null || useradd --system --user-group --no-create-home --shell /usr/sbin/nologin $user
  local as=(setpriv --reuid=$user --regid=$user --clear-groups --no-new-privs)
  if ! "${as[@]}" test -r "$PWD/models" || ! "${as[@]}" test -x "$PWD/$1"; then
    say "The user $user cannot read $PWD: serving as root. Put the project where every user can read it, such as /opt."
    exec "$@"
  fi
  mkdir -p "$folder"
  [ "$(stat -c %U "$folder")" = $user ] || chown -R $user:$user "$folder"
  "${as[@]}" test -w "$folder" || fail "the user $user cannot write into $folder: choose a folder that it reaches with --data"
  exec "${as[@]}" "$@"
}
