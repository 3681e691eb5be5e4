"""What a job says, apart from its takes. All of it is frozen: an edit makes a new document, which undo can take back."""

from utter_calm.job.document.cell import FLOOR, UNIT, Cell
from utter_calm.job.document.claim import Claim, MaskPoint
from utter_calm.job.document.conditions import LOAD, NO_SETUP, NOT_SET, Factor, Setup, alternatives
from utter_calm.job.document.document import JobDocument
from utter_calm.job.document.plan import Plan
from utter_calm.job.document.ranges import AxisRange
from utter_calm.job.document.step import Reference, Step
from utter_calm.job.document.unit import Unit

__all__ = [
    "FLOOR", "LOAD", "NOT_SET", "NO_SETUP", "UNIT", "AxisRange", "Cell", "Claim", "Factor", "JobDocument",
    "MaskPoint", "Plan", "Reference", "Setup", "Step", "Unit", "alternatives",
]  # fmt: skip
