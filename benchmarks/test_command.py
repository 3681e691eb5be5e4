"""Whole commands, each in a process of its own, in seconds."""

import subprocess
import sys

import numpy as np
import pytest
import soundfile


@pytest.fixture(scope="module")
def recording(tmp_path_factory):
    t = np.arange(960_000) / 96_000
    noise = np.random.default_rng(1).normal(0, 1e-5, len(t))
    path = tmp_path_factory.mktemp("tone") / "tone.wav"
    soundfile.write(path, 0.5 * np.sin(2 * np.pi * 997 * t) + noise, 96_000, subtype="PCM_24")
    return str(path)


@pytest.mark.parametrize("what", ["help", "refusal", "tone of 10 s at 96 kHz"])
def test_command_subject(benchmark, recording, what):
    benchmark.group = f"command: {what}"
    call = {"help": ["--help"], "refusal": ["analyze", "tone", "nowhere.wav"]}.get(what, ["analyze", "tone", recording])

    def run():
        subprocess.run([sys.executable, "-m", "utter_calm", *call], check=False, capture_output=True)

    benchmark.pedantic(run, rounds=7, warmup_rounds=1)
    benchmark.extra_info["seconds"] = benchmark.stats.stats.min
