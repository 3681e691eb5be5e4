"""What a report says, as values, before any template."""

import pytest

from tests.conftest import small_demo
from utter_calm.job.document import Cell
from utter_calm.job.facts import facts_of
from utter_calm.job.job import Job
from utter_calm.present.words import fact_text, take_title, title_lines
from utter_calm.quantities import Measured
from utter_calm.report.document import report_document


def test_every_claim_in_every_setup_it_holds_in(measured):
    lines = report_document(measured).claims
    assert len(lines) == 12
    by_text = {(line.text, line.setup): line for line in lines}
    assert by_text["−3 dB at 65 kHz or above into 4 Ω", "4 Ω"].outcome == "missed"
    assert by_text["Gain 29.6 dB ± 0.2 dB", "8 Ω"].sign == "●"
    assert len({line.sign for line in lines}) == 4


def test_the_summary_counts(measured):
    assert report_document(measured).summary == "9 met, 1 missed, 1 undecided, 1 not reachable"


def test_a_section_has_values_uncertainty_and_floor(measured):
    look, response = report_document(measured, appendix=True).sections
    rows = {row.title: row for row in look.readings}
    assert look.setups == ("8 Ω", "4 Ω")
    assert "±" in rows["level"].values[0]
    assert rows["level"].values[0].count("V") == 1
    assert rows["THD+N"].floor.endswith("%")
    assert rows["level"].floor == ""
    assert any("limited by the rig" in value for row in look.readings for value in row.values)
    assert {p.title for p in response.plots} >= {"Response", "Phase", "Distortion out of the sweep"}


def test_rig_calibration_conditions_notes_and_takes(measured):
    take = measured.current(Cell("u1", "first-look", measured.document.plans[0].setups()[0]))
    measured.write_note(take, "warm by then")
    document = report_document(measured, appendix=True)
    (page,) = document.pages
    rig = dict(page.facts)
    assert "calibrated 2026-11-02" in rig["rig"]
    assert rig["pickup"] == "divider by 10"
    assert "0.12 %" in rig["uncertainty of levels (k = 2)"]
    assert rig["load"] == "8 Ω, 4 Ω"
    assert len(page.notes) == 2
    assert "warm by then" in page.notes[1]
    assert len(document.takes) == 6
    assert any("warm by then" in n for s in document.sections for n in s.notes)


def test_what_has_to_be_talked_about_comes_first(measured):
    """The claims missed, undecided and not reachable stand before those that are met; what is whole stands in the appendix."""
    document = report_document(measured)
    outcomes = [line.outcome for line in document.claims]
    assert outcomes == ["missed", "undecided", "not reachable", *["met"] * 9]
    assert [(name, count) for _, name, count in document.counts] == [
        ("missed", 1),
        ("undecided", 1),
        ("not reachable", 1),
        ("met", 9),
    ]
    assert document.sections == document.takes == ()


def test_a_page_has_the_pictures_that_its_claims_rest_on(measured):
    (page,) = report_document(measured).pages
    assert [p.title for p in page.pictures] == ["Spectrum", "Response", "Response relative to 1 kHz"]
    look, response = page.readings
    assert look.names[0] == "THD+N"
    assert [setup for setup, _ in response.rows] == ["8 Ω", "4 Ω"]
    assert all(len(values) == len(response.names) for _, values in response.rows)


def test_a_report_is_the_same_twice_when_the_clock_is_held(measured, monkeypatch):
    monkeypatch.setenv("SOURCE_DATE_EPOCH", "1767225600")
    assert report_document(measured).made == "2026-01-01 00:00 UTC"


def test_superseded_takes_are_not_reported(measured):
    setup = measured.document.plans[0].setups()[0]
    old = measured.current(Cell("u1", "response", setup))
    settings = measured.document.step("response").typed_settings()
    new = measured.append(Cell("u1", "response", setup), settings, measured.full(old).result, capture=measured.capture(old))
    titles = [title for title, _, _ in report_document(measured, appendix=True).takes]
    assert not any(t.startswith(f"take {old.id}:") for t in titles)
    assert any(t.startswith(f"take {new.id}:") for t in titles)


def test_a_job_without_takes_or_claims(tmp_path):
    job = Job.create(tmp_path / "a.calm", small_demo())
    document = report_document(job)
    assert document.sections == ()
    assert {line.outcome for line in document.claims} == {"not measured"}
    job.close()


@pytest.mark.parametrize(
    ("name", "value", "words"),
    [
        ("unit", "Dome amplifier", "Dome amplifier"),
        ("load", Measured(8.0, "ohm"), "into 8 Ω"),
        ("supply", Measured(24.0, "V"), "supply 24 V"),
        ("setting:band_high_hz", Measured(40e3, "Hz"), "band to 40 kHz"),
        ("setting:level_v", Measured(0.094, "V"), "level at the output 94 mV"),
        ("setting:unheard_of", "1", ""),
        ("setting:level_v", "–", ""),
    ],
)
def test_conditions_in_words(name, value, words):
    assert fact_text(name, value, "first_look") == words


def test_takes_have_titles_and_two_of_a_cell_are_told_apart(measured):
    setup = measured.document.plans[0].setups()[0]
    take = measured.current(Cell("u1", "first-look", setup))
    assert take_title(take) == f"take {take.id}: load 8 Ω"
    assert take_title(measured.floor("first-look")).endswith("rig alone")
    settings = measured.document.step("first-look").typed_settings()
    wide = type(settings)(**{**take.settings, "band_high_hz": 40_000.0, "rate_hz": 96_000})
    derived = measured.derive(take, wide)
    assert take_title(derived).endswith(f"from take {take.id}")
    differs, same = title_lines([facts_of(take), facts_of(derived)])
    assert "band to 20" in differs
    assert "band to 40" in differs
    assert "into 8 Ω" in same
    floor_against_unit, _ = title_lines([facts_of(take), facts_of(measured.floor("first-look"))])
    assert "the rig alone" in floor_against_unit
    assert title_lines([]) == ("", "")
