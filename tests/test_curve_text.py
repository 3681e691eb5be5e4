"""Curves as text from anywhere: headers, separators, decimal commas, order, repeats; what is none is named by its line."""

import numpy as np
import pytest

from tests.untimed import given, st
from utter_calm.errors import FileError
from utter_calm.formats.curve_text import read_curve
from utter_calm.formats.tables import frequency_ohm_phase
from utter_calm.job.document import NO_SETUP, Cell
from utter_calm.job.imported import imported_take
from utter_calm.measure.result import Trace

ROWS = [(20.5, 6.25, 10.5), (200.25, 12.5, -30.25), (2000.75, 7.125, 45.5)]


def text(rows=ROWS, between=" ", comma=False, end="\n"):
    lines = [between.join(f"{v:g}" for v in row) for row in rows]
    return end.join(line.replace(".", ",") if comma else line for line in lines) + end


@pytest.mark.parametrize("body", [
    text(), text(between="\t"), text(between=";"), text(between=", "), text(between=","), text(end="\r\n"),
    text(comma=True), text(between="\t", comma=True), text(between=";", comma=True), text(between="; ", comma=True),
    '* a\n# b\n; c\n"d"\n// e\n\n' + text(), "Freq (Hz), Z (ohm), Phase\nmade up, 2 of 3\n" + text(between=","),
    "\ufeff" + text(), text(ROWS[::-1]), text([*ROWS, ROWS[1]]), text([ROWS[1], *ROWS]), "  " + text().replace("\n", "  \n"),
    text().replace("\n", "\n* between\n"), text().replace("-", "−"), text().replace("20.5 ", "2.05e1 "),
])  # fmt: skip
def test_every_way_to_write_it_is_read_alike(tmp_path, body):
    path = tmp_path / "a.zma"
    path.write_text(body, "utf-8")
    curve = read_curve(path, positive=True)
    assert curve.frequency_hz == pytest.approx([r[0] for r in ROWS])
    assert curve.value == pytest.approx([r[1] for r in ROWS])
    assert np.degrees(curve.phase_rad) == pytest.approx([r[2] for r in ROWS])


def test_other_encodings_and_columns(tmp_path):
    path = tmp_path / "a.txt"
    path.write_bytes("Impedanz in Ω\n".encode("utf-16") + text().encode("utf-16-le"))
    assert read_curve(path).value[0] == 6.25
    path.write_bytes(b"Gr\xf6\xdfe\n" + text().encode())
    assert read_curve(path).value[0] == 6.25
    path.write_text(text([r[:2] for r in ROWS]))
    assert read_curve(path).phase_rad is None
    path.write_text(text([(*r, 1.0, 2.0) for r in ROWS]))
    assert np.degrees(read_curve(path).phase_rad)[0] == pytest.approx(10.5)


@pytest.mark.parametrize(("body", "words"), [
    ("", "no rows"), ("only words\n", "no rows"), (text() + "the end\n", "line 4 is no row"), (text() + "30 abc 2\n", "line 4"),
    (text() + "30 nan 2\n", "line 4"), (text() + "30 1e999 2\n", "line 4"), (text() + "30 -2 1\n", "line 4 has -2 ohm"),
    (text() + "30 0 1\n", "line 4 has 0 ohm"), ("0 6 1\n" + text(), "line 1 has a frequency of 0"),
    ("30\n" + text(), "line 1 has one"),
    (text() + "30 5\n", "line 4 has 2 columns"), ("* x\n" + text() + "-5 5 5\n", "line 5"),
])  # fmt: skip
def test_what_is_no_curve_is_refused_by_its_line(tmp_path, body, words):
    path = tmp_path / "a.zma"
    path.write_text(body)
    with pytest.raises(FileError, match=words):
        read_curve(path, positive=True)


def test_what_cannot_be_read_at_all(tmp_path):
    with pytest.raises(FileError, match="cannot be read"):
        read_curve(tmp_path / "none.zma")
    (tmp_path / "b.zma").write_bytes(b"\x80\0\xff" * 100)
    with pytest.raises(FileError, match="no text"):
        read_curve(tmp_path / "b.zma")


def test_repeated_rows_are_averaged_and_phases_do_not_wrap(tmp_path):
    path = tmp_path / "a.zma"
    path.write_text("10 5 179\n20 6 -179\n20 8 -177\n")
    curve = read_curve(path)
    assert curve.value == pytest.approx([5, 7])
    assert np.degrees(curve.phase_rad) == pytest.approx([179, 182])


@given(st.lists(st.tuples(st.floats(0.1, 1e5), st.floats(1e-3, 1e5), st.floats(-179, 179)), min_size=2, max_size=30,
                unique_by=lambda r: float(f"{r[0]:.7g}")))  # fmt: skip
def test_what_is_written_is_read_back(tmp_path_factory, rows):
    path = tmp_path_factory.mktemp("zma") / "a.zma"
    f, z, p = np.array(sorted(rows)).T
    path.write_text(frequency_ohm_phase(f, z, np.radians(p), "made up"))
    curve = read_curve(path, positive=True)
    assert curve.frequency_hz == pytest.approx(f, rel=1e-6)
    assert curve.value == pytest.approx(z, rel=1e-6)
    assert np.cos(curve.phase_rad - np.radians(p)) == pytest.approx(np.ones(len(f)), abs=1e-9)


@given(st.binary(max_size=300))
def test_rubbish_is_read_or_refused(tmp_path_factory, data):
    path = tmp_path_factory.mktemp("zma") / "a.zma"
    path.write_bytes(data)
    try:
        curve = read_curve(path)
    except FileError:
        return
    assert np.all(np.diff(curve.frequency_hz) > 0)
    assert np.isfinite(curve.value).all()


def test_a_makers_curve_is_moved_by_what_both_passbands_differ_by(tmp_path):
    """Its corners lie elsewhere: by the mean over all of both it lay 5 to 10 dB off."""
    f = np.geomspace(20, 20_000, 300)
    low = 1 / np.sqrt(1 + (80 / f) ** 8)
    measured = Trace("response", 1, f, "Hz", 0.4 * low / np.sqrt(1 + (f / 15_000) ** 4), "Pa/V")
    other = 88 + 20 * np.log10(1 / np.sqrt(1 + (35 / f) ** 8))
    (tmp_path / "maker.frd").write_text("".join(f"{x} {y} 0\n" for x, y in zip(f, other, strict=True)))
    take, said = imported_take(tmp_path / "maker.frd", Cell("u", "s", NO_SETUP), "response", measured, -1)
    curve = take.result.trace("response")
    middle = (f > 300) & (f < 5_000)
    off = 20 * np.log10(np.interp(f, curve.x, curve.magnitude) / measured.magnitude)
    assert abs(np.mean(off[middle])) < 0.3
    assert "to the measured one's level" in said
