"""A claim beside the plot: its verdict is told in full, in as many lines as it needs."""

import pytest

from utter_calm.job.verdict import Outcome
from utter_calm.present.panel import ClaimView
from utter_calm.ui.readings.panel import ClaimLine
from utter_calm.ui.shell.app import make_application


@pytest.mark.parametrize(("margin", "width", "lines"), [
    ("by 1.2 dB", 200, 1), ("0.056 dB from the bound, within the uncertainty", 200, 2),
    ("0.056 dB from the bound, within the uncertainty", 500, 1), ("no more than noise, a longer record tells more of it", 120, 3),
])  # fmt: skip
def test_a_verdict_takes_the_lines_that_it_needs(qtbot, margin, width, lines):
    make_application([])  # its own letters
    line = ClaimLine(ClaimView(Outcome.UNDECIDED, "87 dB at 2.83 V, 1 m", "86.9 dB SPL", margin))
    qtbot.addWidget(line)
    line.resize(width, line.height())
    line.show()
    single = ClaimLine(ClaimView(Outcome.MET, "x", "1", "by 1"))
    qtbot.addWidget(single)
    height = line.fontMetrics().lineSpacing()
    assert (line.height() - single.height()) / height == pytest.approx(lines - 1, abs=0.3)
