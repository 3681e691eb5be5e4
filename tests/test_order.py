"""Run order with prices, and what a cell wants of the bench."""

import itertools

import pytest

from tests.conftest import small_demo
from utter_calm.job.cell import Cell, change_price, wanted
from utter_calm.job.job import NO_SETUP
from utter_calm.job.model import Factor, Plan, Setup
from utter_calm.job.order import change_cost, run_order
from utter_calm.job.take import FLOOR


def total(cells, standing, cost):
    now, out = tuple(standing), 0.0
    for cell in cells:
        out += change_cost(now, cell.setup.conditions, cost)
        now = tuple({**dict(now), **dict(cell.setup.conditions)}.items())
    return out


@pytest.mark.parametrize(
    "price", [{"valve": 6.0, "load": 1.0}, {"valve": 1.0, "load": 1.0}, {"valve": 0.1, "load": 5.0}]
)
def test_dear_changes_come_least_often(price):
    """Against every order there is."""
    cells = [
        Cell("a", Setup((("load", load), ("valve", valve)))) for load in ("8", "4") for valve in ("old", "new", "other")
    ]
    standing = (("load", "4"), ("valve", "new"))
    ordered = run_order(cells, standing, lambda c: c.setup.conditions, price.__getitem__)
    best = min(total(order, standing, price.__getitem__) for order in itertools.permutations(cells))
    assert total(ordered, standing, price.__getitem__) == pytest.approx(best)


def test_many_benches_are_ordered_well_and_all_of_them():
    factors = [("a", "123"), ("b", "123"), ("c", "12")]
    setups = [Setup(tuple(zip("abc", values, strict=True))) for values in itertools.product(*(v for _, v in factors))]
    cells = [Cell("s", setup) for setup in reversed(setups)]
    ordered = run_order(cells, (), lambda c: c.setup.conditions, lambda _: 1.0)
    assert sorted(map(str, ordered)) == sorted(map(str, cells))
    assert total(ordered, (), lambda _: 1.0) <= 3 + 17 + 3  # every step of a snake changes one factor only


def test_what_the_program_sets_is_no_work_for_a_hand():
    document = small_demo()
    plan = document.plans[0]
    factor = Factor("level at the output", ("50 mV",), sets="level_v", cost=1.0)
    document = document.with_plan(0, Plan(plan.unit, plan.rig, plan.steps, (*plan.factors, factor)))
    cell = Cell("response", document.plans[0].setups()[0])
    assert [f for f, _ in wanted(document, cell)] == ["pickup", "unit", "load"]
    assert wanted(document, Cell("response", NO_SETUP, FLOOR)) == (("pickup", "1"), ("unit", "cable"))
    assert change_price(document, "unit") > change_price(document, "load")
