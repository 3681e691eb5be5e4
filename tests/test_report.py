"""Reports: one template, HTML and PDF, everything inside."""

import re
import xml.etree.ElementTree as ET
from dataclasses import replace

import numpy as np
import pypdf
import pytest

from tests.conftest import shown
from utter_calm.cli import run
from utter_calm.errors import FileError
from utter_calm.job.document import Cell
from utter_calm.job.document.fresh import new_document
from utter_calm.job.job import Job
from utter_calm.present.picture.compose import plot_view
from utter_calm.present.picture.drawing import Drawing, Frame, Path
from utter_calm.report.svg import drawing_svg, plot_svg
from utter_calm.report.unit_page import unit_page
from utter_calm.report.write import keep_units, report_html, write_report


@pytest.fixture(scope="module")
def seats_job(tmp_path_factory):
    """A job without claims: four seats, measured by the command line."""
    path = tmp_path_factory.mktemp("seats") / "foyer.calm"
    assert run(["new", str(path), "--kind", "seat", "--name", "Wedge", "--stand-in", "console wedge"]) == 0
    assert run(["run", str(path)]) == 0
    job = Job.open(path)
    yield job
    job.close()


def test_the_html_holds_everything_and_fetches_nothing(measured):
    html = report_html(measured).replace("\N{NO-BREAK SPACE}", " ")
    for words in ("Dome amplifier DA-3", "−3 dB at 65 kHz or above into 4 Ω", "not reachable", "undecided", "missed", "met",
                  "Simulated rig, workshop bench", "2026-11-02", "dented lid", "8 Ω", "THD+N", "k = 2"):  # fmt: skip
        assert words in html
    outside = re.findall(r"(?:src|href)=[\"']?([^\"' >]+)", html) + re.findall(r"url\(([^)#][^)]*)\)", html)
    assert outside == []
    assert 2 <= html.count("<svg") < report_html(measured, appendix=True).count("<svg")


def test_every_picture_is_sound_xml(measured):
    full = shown(*(measured.full(measured.current(Cell("u1", "response", s))) for s in measured.document.plans[0].setups()))
    for spec in measured.document.step("response").measure.plots:
        svg = plot_svg(plot_view(full, spec.key, floor=shown(measured.full(measured.current(Cell.floor("response"))))[0]))
        root = ET.fromstring(svg)  # noqa: S314 - made by ourselves
        texts = [t.text for t in root.iter("{http://www.w3.org/2000/svg}text")]
        assert "1k" in texts
        assert any("4 Ω" in (t or "") for t in texts)
        assert "nan" not in svg.lower()


def test_a_line_is_not_filled():
    """Of itself a path in a picture is filled with black."""
    line = Path(np.array([[0.0, 0.0], [10.0, 0.0], [10.0, 10.0]]), "#000000")
    assert 'fill="none"' in drawing_svg(Drawing(20, 20, Frame(0, 0, 20, 20), axes=[line]), "", "p")


def test_one_channel_is_not_called_two(measured):
    pages = re.split(r"<section", report_html(measured, appendix=True))
    told = [page for page in pages if "Two values in a cell" in page]
    assert told
    for page in pages:
        assert (page in told) == bool(re.search(r"<td>[^<]* / [^<]*</td>", page.split('class="facts"')[0])), page[:300]


def test_names_cannot_break_out_of_the_template(tmp_path):
    document = new_document("<script>alert(1)</script> & Söhne")
    job = Job.create(tmp_path / "a.calm", document)
    html = report_html(job)
    assert "<script>" not in html
    assert "&amp; Söhne" in html
    assert "Nothing was measured yet" in html
    job.close()


@pytest.mark.long
def test_without_claims_the_first_page_is_not_left_empty(seats_job, tmp_path):
    """One line stood on it alone."""
    path = tmp_path / "report.pdf"
    write_report(seats_job, path)
    first = pypdf.PdfReader(path).pages[0].extract_text()
    assert "No claims were entered" in first
    assert "Average over positions" in first


def test_where_one_picture_is_claimed_others_stand_beside_it(measured):
    plan, unit = measured.document.plans[0], measured.document.units[0]
    few = tuple(c for c in plan.claims if c.step == "first-look" and not c.mask)[:1]
    measured.edit(replace(measured.document, plans=(replace(plan, claims=few),)))
    titles = [picture.title for picture in unit_page(measured, unit).pictures]
    assert titles[0] == plan.step("first-look").measure.plots[0].title
    assert len(titles) == 2
    assert "<section>" in report_html(measured).partition("Claimed and measured")[2]  # on the same page: there is room


@pytest.mark.timeout(240)
def test_the_pdf_says_the_same(measured, tmp_path):
    path = tmp_path / "report.pdf"
    write_report(measured, path)
    pages = [page.extract_text() for page in pypdf.PdfReader(path).pages]
    assert len(pages) <= 3
    for words in ("Dome amplifier DA-3", "missed", "not reachable", "Claimed and measured"):
        assert words in pages[0]
    assert "Response" in pages[1]


def test_endings_and_places_that_do_not_work(measured, tmp_path):
    with pytest.raises(FileError, match=r"\.html or \.pdf"):
        write_report(measured, tmp_path / "report.doc")
    with pytest.raises(FileError, match="cannot be written"):
        write_report(measured, tmp_path / "no" / "folder.html")


@pytest.mark.parametrize(("text", "kept"), [
    ("90 W into 4 Ω at 1 % THD+N", "90~W into 4~Ω at 1~% THD+N"), ("−3 dB at 65 kHz or above", "−3~dB at 65~kHz or above"),
    ("sections 3 to 6. One of each", "sections 3~to 6. One of each"), ("no. 0117", "no. 0117"),
])  # fmt: skip
def test_no_unit_stands_alone_on_a_line(text, kept):
    assert keep_units(text).replace("\N{NO-BREAK SPACE}", "~") == kept
