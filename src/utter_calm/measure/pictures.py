"""How a kind wants its traces drawn. What the axes say follows from the quantities that it declares."""

from __future__ import annotations

from dataclasses import dataclass

PHASE = "phase"
"""View of a picture that draws the phases of its traces."""
PARTS, NYQUIST = "parts", "nyquist"
"""Views that draw real and imaginary parts over x, or one over the other."""


@dataclass(frozen=True, slots=True)
class Over:
    """What a picture may be drawn over: a trace of the take that gives x for each point of the others.

    Parameters
    ----------
    key
        For machines.
    title
        Short, as on the axis.
    quantity, view
        Keys of what x is and of how it is shown.
    trace
        Whose magnitude is x; empty for the curves' own x.
    for_floor
        Trace and rule for the rig alone, which has no such trace: its square over the load stands for the power.
    """

    key: str
    title: str
    quantity: str
    view: str = "log"
    trace: str = ""
    for_floor: str = ""


@dataclass(frozen=True, slots=True)
class PlotSpec:
    """One picture of a kind.

    Parameters
    ----------
    key, title
        For machines and for people.
    traces
        Names of the traces in it, the first is the main one; or the name of one surface.
    x, x_view, x_title
        Keys of the quantity along x and of its view (empty: the one for curves), and its title where that differs.
    y, y_title, y_note
        View of the main trace's quantity (empty: the one for curves; ``"phase"``: the phases), its title where that differs,
        and a word behind the unit, as in ``dB re 1 kHz``.
    detail
        Half height of the detail zoom, in the unit of the axis; 0 for none.
    dense
        Whether curves are noisy and long.
    over
        What x can be chosen to be; empty for the curves' own x only. The first that the take has is shown first.
    short
        One word for the button; empty takes the title.
    unwanted
        Whether what is drawn is unwanted (distortion, noise), so that the rig's own curve is a floor to it.
    sheet
        Names of readings: the picture is a table of them, a row for each coordinate, and draws no curves.
    surface
        Whether it draws a surface; ``span_db`` is then the range shown below its highest value.
    edges
        Names of two settings along x that may be dragged in it.
    says
        Codes of what the take says of itself that stands under the picture as well.
    polar
        Whether a surface over frequency and angle is drawn as curves round a point.
    contours
        Heights, in the unit of its view, at which lines are drawn over a surface.
    band
        Whether the uncertainty of the curves is drawn about them.
    """

    key: str
    title: str
    traces: tuple[str, ...]
    x: str = "frequency"
    x_view: str = ""
    x_title: str = ""
    y: str = ""
    y_title: str = ""
    y_note: str = ""
    detail: float = 0.0
    dense: bool = False
    over: tuple[Over, ...] = ()
    short: str = ""
    unwanted: bool = False
    sheet: tuple[str, ...] = ()
    surface: bool = False
    span_db: float = 40.0
    edges: tuple[str, str] | None = None
    band: bool = False
    contours: tuple[float, ...] = ()
    polar: bool = False
    says: tuple[str, ...] = ()
