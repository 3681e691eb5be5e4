"""Write a report as one self-contained HTML file, or as PDF from the same template."""

from __future__ import annotations

import base64
import re
from dataclasses import replace
from importlib import resources
from pathlib import Path

from utter_calm.errors import FileError
from utter_calm.formats.tables import write_text
from utter_calm.formats.whole import write_whole
from utter_calm.job.job import Job
from utter_calm.memory import uncollected
from utter_calm.present.palette import LIGHT
from utter_calm.present.picture.drawing import Drawing
from utter_calm.report.document import report_document
from utter_calm.report.svg import drawing_svg, plot_svg

_SMALL, _LARGE = (480, 300), (760, 380)
_PAPER = replace(LIGHT, grid="#efebe1")


def _sketch(drawing: Drawing) -> str:
    return drawing_svg(drawing, "How it stood", "sketch")


def report_html(job: Job, *, appendix: bool = False) -> str:
    """Give the report as HTML: everything inside, nothing fetched."""
    import jinja2  # noqa: PLC0415 - heavy, and seldom needed

    folder = resources.files("utter_calm.report") / "templates"
    environment = jinja2.Environment(autoescape=True, undefined=jinja2.StrictUndefined, trim_blocks=True, lstrip_blocks=True)
    environment.filters["kept"] = keep_units
    environment.tests["two_channels"] = lambda text: " / " in str(text)
    template = environment.from_string((folder / "report.html.j2").read_text("utf-8"))
    style = (folder / "report.css").read_text("utf-8")
    document = report_document(job, appendix=appendix)
    small = [(plot, _SMALL) for page in document.pages for plot in page.pictures]
    large = [(plot, _LARGE) for section in document.sections for plot in section.plots]
    pictures = {
        id(plot): plot_svg(plot, width=size[0], height=size[1], ident=f"clip{number}", palette=_PAPER)
        for number, (plot, size) in enumerate([*small, *large])
        if plot.sheet is None
    }
    return str(template.render(report=document, style=style, picture=lambda plot: pictures[id(plot)], sketch=_sketch))


def keep_units(text: str) -> str:
    """Give a text in which no line breaks between a number and its unit."""
    return re.sub(r"(?<=\d) (?=[^\W\d_]{1,4}\b|[%°Ω])|(?<=±) ", "\N{NO-BREAK SPACE}", text)


def write_report(job: Job, *paths: Path, appendix: bool = False) -> None:
    """Write the report once or more; the ending chooses ``.html`` or ``.pdf``, ``appendix`` all steps, pictures and takes too.

    Raises
    ------
    FileError
        Another ending, or a file cannot be written.
    """
    for path in paths:
        if path.suffix.lower() not in (".html", ".pdf"):
            raise FileError(f"A report is .html or .pdf, not “{path.suffix or path.name}”.", hint="Choose one of these endings.")
    html = report_html(job, appendix=appendix)
    for path in paths:
        if path.suffix.lower() == ".html":
            write_text(path, html)
        else:
            write_whole(path, _pdf(html))


def _pdf(html: str) -> bytes:
    import weasyprint  # noqa: PLC0415 - heavy, and seldom needed
    from weasyprint.text.fonts import FontConfiguration  # noqa: PLC0415

    fonts = resources.files("utter_calm") / "assets" / "fonts"
    faces = "".join(
        f"@font-face {{ font-family: Inter; font-weight: {weight}; src: url('{Path(str(fonts / name)).as_uri()}'); }}"
        for name, weight in (("Inter-Regular.otf", 400), ("Inter-Medium.otf", 500), ("Inter-SemiBold.otf", 600))
    )
    html = re.sub(r"<svg\b.*?</svg>", _put_aside, html, flags=re.DOTALL)
    with uncollected():
        configuration = FontConfiguration()
        sheet = weasyprint.CSS(string=faces, font_config=configuration)
        return bytes(weasyprint.HTML(string=html).write_pdf(stylesheets=[sheet], font_config=configuration))


def _put_aside(svg: re.Match[str]) -> str:
    """A picture as one of its own: then it is no part of the page, of which every element is styled and laid out."""
    return f'<img class="picture" alt="" src="data:image/svg+xml;base64,{base64.b64encode(svg[0].encode()).decode()}">'
