"""What is trained, and what is kept of it."""

import json
import tarfile

import pytest
import torch

from dettaglio_foundry import work

ENDED, BEGUN, NEW = "everyday-x2-draft", "night", "fur-x4-fine"


@pytest.fixture
def runs(tmp_path, monkeypatch):
    monkeypatch.setattr(work, "plan", lambda: [work.Planned(name, 1) for name in (ENDED, BEGUN, NEW)])
    folder = tmp_path / "runs"
    folder.mkdir()
    last = work.Planned(ENDED, 1).read().steps
    (folder / f"{ENDED}.log").write_text(f"step 500, 168 s, loss -0.17, +1.80 dB\nstopped at step {last} of {last}, 900 s, +1.93 dB\n")
    (folder / f"{BEGUN}.log").write_text("stopped at step 20 of 5000, 60 s, +0.10 dB\n")
    torch.save({"step": 20, "net": {}}, folder / f"{BEGUN}.pt")
    return folder


def test_a_run_that_has_ended_stays_so_without_its_state(runs):
    assert [run.config for run in work.unfinished(runs)] == [BEGUN, NEW]
    assert work.steps_done(work.Planned(BEGUN, 1).read(), runs) == 20
    assert work.steps_done(work.Planned(NEW, 1).read(), runs) == 0


def test_what_is_kept_tells_another_machine_the_same(runs, tmp_path, monkeypatch):
    monkeypatch.setattr(work, "packed", lambda state: state)
    archive, elsewhere = tmp_path / "kept" / "states.tar", tmp_path / "elsewhere"
    work.keep(runs, archive)
    with tarfile.open(archive) as tar:
        assert tar.getnames() == [f"{ENDED}.log", f"{BEGUN}.pt", f"{BEGUN}.log"]
    work.take_up(archive, elsewhere)
    assert [run.config for run in work.unfinished(elsewhere)] == [BEGUN, NEW]
    work.report(elsewhere, tmp_path / "progress.md")
    told = (tmp_path / "progress.md").read_text()
    last = work.Planned(ENDED, 1).read().steps
    assert f"| {ENDED} | {last:,} of {last:,} |" in told and f"| {BEGUN} | 20 of 5,000 |" in told


class TestWork:
    LOG = "x: 3 parameters\nstep 500, 40 s, loss 0.02, +0.500 dB\nstep 900, 80 s, loss 0.01, +0.750 dB, mean 0.1\nstopped at step 950 of 1000, 85 s, +0.800 dB\n"

    def test_a_log_tells_how_far_a_run_is(self):
        assert [(p.step, p.seconds, p.gain) for p in work.pulses(self.LOG)] == [(500, 40, 0.5), (900, 80, 0.75), (950, 85, 0.8)]

    @pytest.mark.parametrize("gains, drawn", [([], ""), ([1.0], ""), ([0, 1], "▁█"), ([2, 2], "▁▁"), ([0, 0.5, 1.0], "▁▅█")])
    def test_a_curve_rises_as_the_gains_do(self, gains, drawn):
        assert work.curve(gains) == drawn

    def test_a_long_curve_is_thinned(self):
        assert len(work.curve(list(range(1000)))) == work.LONGEST_CURVE

    def test_every_planned_run_has_a_configuration_and_is_named_once(self):
        runs = work.plan()
        assert len({run.config for run in runs}) == len(runs)
        for run in runs:
            assert run.read().id == run.config and run.hours > 0

    def test_states_are_kept_in_one_archive_and_taken_up_where_there_is_no_newer(self, tmp_path, monkeypatch, config, photographs):
        from dettaglio_foundry.sources import Mixture
        from dettaglio_foundry.train import Run

        runs, archive = tmp_path / "runs", tmp_path / "kept" / "states.tar"
        runs.mkdir()
        run = Run(config(), runs, None)
        run.learn(Mixture({"photographs": 1.0}, photographs, "", 24, run.rng))
        run.save()
        (runs / "tiny.log").write_text(self.LOG)
        planned = work.Planned("tiny", 1.0)
        monkeypatch.setattr(work.Planned, "read", lambda _: run.config)
        monkeypatch.setattr(work, "plan", lambda: [planned])
        work.keep(runs, archive)
        assert sorted(tarfile.open(archive).getnames()) == ["tiny.log", "tiny.pt"]
        work.take_up(archive, tmp_path / "elsewhere")
        again = Run(run.config, tmp_path / "elsewhere", None)
        assert again.step == 1 and torch.allclose(again.average["tail.weight"], run.average["tail.weight"], atol=1e-4)
        (runs / "tiny.log").write_text("newer")
        work.take_up(archive, runs)
        assert (runs / "tiny.log").read_text() == "newer"

    def test_the_report_has_a_line_a_run(self, tmp_path, monkeypatch, config):
        monkeypatch.setattr(work.Planned, "read", lambda _: config())
        monkeypatch.setattr(work, "plan", lambda: [work.Planned("tiny", 2.5)])
        (tmp_path / "tiny.log").write_text(self.LOG)
        work.report(tmp_path, tmp_path / "progress.md")
        assert "| tiny | 950 of 40 | 0.0 | 2.5 | +0.80 | ▁▇█ | not shipped |" in (tmp_path / "progress.md").read_text()

    def test_the_score_is_the_shipped_models_on_its_own_subject(self, tmp_path):
        of = lambda name, gain: {"set": name, "model": 30 + gain, "bicubic": 30}  # noqa: E731
        card = {"subject": "fur", "scores": [of("fur", 1), of("fur", 2), of("photographs", 9)], "cleaning": [], "made_on": "2026-01-02"}
        (tmp_path / "fur.json").write_text(json.dumps(card))
        assert work.score_of(tmp_path / "fur.json") == "+1.50 dB (2026-01-02)"
