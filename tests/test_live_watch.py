"""What the live view watches for."""

import numpy as np
import pytest

from utter_calm.errors import InputError
from utter_calm.measure.live_watch import HISTORY_S, HumReading, HumWatch, hum_of
from utter_calm.present.calculator import FIELDS, convert
from utter_calm.present.hum import hum_panel, hum_view

RATE = 96_000


def humming(levels, mains=50.02, seconds=1.0, noise=1e-6):
    t = np.arange(int(RATE * seconds)) / RATE
    rng = np.random.default_rng(4)
    columns = []
    for level in levels:
        hum = sum(a * level * np.sqrt(2) * np.sin(2 * np.pi * k * mains * t + k) for k, a in ((1, 0.6), (2, 0.8)))
        columns.append(hum + rng.normal(0, noise, len(t)))
    return np.stack(columns, axis=1)


def test_the_family_is_summed_in_each_channel():
    found = hum_of(humming((1e-4, 3e-4)), RATE, 0.0)
    assert found.rms == pytest.approx((1e-4, 3e-4), rel=0.02)
    assert found.mains_hz == pytest.approx(50.02, abs=0.02)
    assert {m for m, _ in found.lines} == {1, 2}
    assert hum_of(humming((1e-4, 1e-4), mains=60.0), RATE, 0.0).mains_hz == pytest.approx(60.0, abs=0.02)


def test_where_none_stands_out_a_bound_is_told():
    found = hum_of(humming((0.0, 0.0)), RATE, 0.0)
    assert found.mains_hz is None
    assert 0 < max(found.rms) < 5e-7


def test_before_and_now_with_events_between():
    watch = HumWatch()
    assert watch.mark("too early") is None
    for second in range(5):
        watch.add(HumReading(second, 50.0, (1e-4, 2e-4)))
    assert watch.mark("lights off").rms == 2e-4
    watch.add(HumReading(6, 50.0, (1e-4, 1e-4)))
    assert watch.change_db() == pytest.approx(-6.02, abs=0.01)
    at, rms = watch.history()
    assert (at[0], at[-1], rms.shape) == (-6, 0, (6, 2))
    watch.add(HumReading(6 + HISTORY_S, 50.0, (1e-4, 1e-4)))
    assert len(watch.history()[0]) == 2
    assert [e.text for e in watch.events] == ["lights off"]


def test_a_mark_is_set_at_once_and_named_later_and_each_knows_what_it_did():
    watch = HumWatch()
    watch.name_last("nothing yet")
    for second, rms in enumerate((1e-4, 1e-4, 1e-5, 1e-5, 1e-3)):
        watch.add(HumReading(second, 50.0, (rms, 1e-7)))
        if second in (1, 3):
            watch.mark()
    assert [e.text for e in watch.events] == ["no. 1", "no. 2"]
    watch.name_last("battery")
    watch.name_last("")
    assert [(e.text, e.at_s) for e in watch.events] == [("no. 1", 1), ("battery", 3)]
    assert [moved for _, moved in watch.effects()] == pytest.approx([-20.0, 40.0])
    assert watch.change_db() == pytest.approx(40.0)


def test_the_hum_in_words_and_its_lines_with_what_each_did():
    watch = HumWatch()
    assert hum_view(watch) is None
    assert hum_panel(watch) is None
    watch.add(HumReading(0, 50.0, (1e-6, 1e-4), ((1, 6e-5), (3, 8e-5))))
    watch.mark("lights <off>")
    watch.add(HumReading(1, 50.0, (1e-6, 2e-4), ((1, 1.2e-4), (2, 1e-5), (3, 8e-5))))
    view = hum_view(watch)
    assert str(view.number) == "200 µV"
    assert view.change == "+6.0 dB"
    assert "50.00 Hz and its multiples, channel 2; −74.0 dBV, since “lights <off>”" in view.words
    assert view.log == ("lights <off>: 100 µV, then +6.0 dB",)
    rows = hum_panel(watch).main
    assert [(r.title, str(r.values[0])) for r in rows] == [
        ("50.0 Hz, 1 × mains", "120 µV"), ("150.0 Hz, 3 × mains", "80.0 µV"), ("100.0 Hz, 2 × mains", "10.0 µV")]  # fmt: skip
    assert [r.beside for r in rows] == [
        "+6.0 dB since the mark · the loudest", "0.0 dB since the mark · −3.5 dB re the loudest",
        "−21.6 dB re the loudest"]  # fmt: skip
    watch.add(HumReading(2, None, (1e-7, 1e-7)))
    assert hum_panel(watch) is None
    assert "could hide in the noise" in hum_view(watch).words


@pytest.mark.parametrize(
    ("field", "text", "load", "expected"),
    [("peak to peak", "10 V", "8 ohm", {"peak": "5.0000 V", "r.m.s.": "3.5355 V"}), ("dBu", "+4 dBu", "", {"r.m.s.": "1.2277 V"}),
     ("watts", "100 W", "8 ohm", {"r.m.s.": "28.284 V"}), ("r.m.s.", "2.83", "8", {"watts": "1.0011 W"}),
     ("dBV", "-10", "", {"r.m.s.": "316.23 mV", "dBu": "−7.782 dBu", "watts": "no load"})],
)  # fmt: skip
def test_volts_and_watts_all_ways(field, text, load, expected):
    found = convert(field, text, load)
    for name, value in expected.items():
        assert found.text(name) == value
    again = {name: convert(name, found.text(name), load).volts for name in FIELDS if found.text(name) != "no load"}
    assert all(v == pytest.approx(found.volts, rel=1e-4) for v in again.values())


@pytest.mark.parametrize(("field", "text", "load"), [("watts", "1 W", ""), ("r.m.s.", "loud", ""), ("r.m.s.", "1", "0 ohm")])
def test_what_cannot_be_converted_is_said(field, text, load):
    with pytest.raises(InputError):
        convert(field, text, load)
