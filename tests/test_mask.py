"""Masks from whatever people have: typed, pasted, a file, a reference take."""

import numpy as np
import pytest

from utter_calm.errors import FileError, InputError
from utter_calm.job.document import Claim
from utter_calm.job.mask import mask_from_trace, mask_text, parse_mask, read_mask
from utter_calm.job.verdict import Outcome, judge, mask_bounds
from utter_calm.measure.result import Result, Trace
from utter_calm.quantities import db_to_amplitude

X = np.geomspace(20, 20_000, 200)


@pytest.mark.parametrize(
    "text",
    ["20: -0.5 0.1; 1000: -0.5 0.1; 20000: -0.5 -", "frequency,lower,upper\n20,-0.5,0.1\n1000,-0.5,0.1\n20000,-0.5,-",
     "20\t-0.5\t0.1\n1000\t-0.5\t0.1\n20000\t−0.5\t–", "20 -0.5 0.1 1000 -0.5 0.1 20000 -0.5 -"],
    ids=["typed", "csv", "tabs", "pasted into one line"],
)  # fmt: skip
def test_one_mask_in_many_ways(text):
    mask = parse_mask(text)
    assert [p.x for p in mask] == [20, 1_000, 20_000]
    assert mask[0].low == pytest.approx(db_to_amplitude(-0.5))
    assert mask[-1].high is None
    assert parse_mask(mask_text(mask)) == mask


@pytest.mark.parametrize(
    "text",
    ["", "20: 1", "20 -1 1", "20 -1 1 10 -1 1", "20 -1 1 100 -1", "hello world", "0 -1 1 10 -1 1", "nan 1 2 3 4 5"],
)
def test_what_is_no_mask_is_said(text):
    with pytest.raises(InputError):
        parse_mask(text)


def test_files(tmp_path):
    path = tmp_path / "mask.csv"
    path.write_text("Hz;low;high\n20;-1;1\n20000;-1;1\n")
    assert len(read_mask(path)) == 2
    path.write_bytes(b"\xff\xfe\x00")
    for bad in (path, tmp_path / "none.csv", tmp_path):
        with pytest.raises((FileError, InputError)):
            read_mask(bad)


def test_a_mask_about_a_take_holds_the_take_and_not_one_that_has_moved_further():
    curve = 30 / np.sqrt(1 + (X / 30_000) ** 2)
    trace = Trace("response", 1, X, "Hz", curve, "1")
    mask = mask_from_trace(trace, 0.5, 0.5)
    low, high = mask_bounds(mask, X[1:-1])
    assert 20 * np.log10(high / low) == pytest.approx(1.0, abs=0.01)
    claim = Claim("a", "a", "s", "response", mask=mask)
    spread = 1e-4 * curve
    moved = lambda db: Result((), (Trace("response", 1, X, "Hz", curve * db_to_amplitude(db), "1", None, spread),))  # noqa: E731
    assert judge(claim, moved(0.0)).outcome is Outcome.MET
    assert judge(claim, moved(0.45)).outcome is Outcome.MET
    assert judge(claim, moved(-0.55)).outcome is Outcome.MISSED
    assert mask_from_trace(trace, 0.0, 0.5)[0].low is None
    with pytest.raises(InputError):
        mask_from_trace(trace, 0, 0)
