"""Run order with prices, and what a cell wants of the bench."""

import itertools
from dataclasses import replace

import pytest

from tests.conftest import small_demo
from utter_calm.job.bench import wanted
from utter_calm.job.document import Cell, Factor, Setup
from utter_calm.job.run.bench import Bench, simulated_bench
from utter_calm.job.run.order import change_cost, run_order
from utter_calm.quantities import Measured


def total(cells, standing, cost):
    now, out = tuple(standing), 0.0
    for cell in cells:
        out += change_cost(now, cell.setup.conditions, cost)
        now = tuple({**dict(now), **dict(cell.setup.conditions)}.items())
    return out


@pytest.mark.parametrize("price", [{"valve": 6.0, "load": 1.0}, {"valve": 1.0, "load": 1.0}, {"valve": 0.1, "load": 5.0}])
def test_dear_changes_come_least_often(price):
    """Against every order there is."""
    cells = [Cell("u1", "a", Setup((("load", load), ("valve", valve)))) for load in ("8", "4") for valve in ("old", "new", "other")]
    standing = (("load", "4"), ("valve", "new"))
    ordered = run_order(cells, standing, lambda c: c.setup.conditions, price.__getitem__)
    best = min(total(order, standing, price.__getitem__) for order in itertools.permutations(cells))
    assert total(ordered, standing, price.__getitem__) == pytest.approx(best)


def test_many_benches_are_ordered_well_and_all_of_them():
    factors = [("a", "123"), ("b", "123"), ("c", "12")]
    setups = [Setup(tuple(zip("abc", values, strict=True))) for values in itertools.product(*(v for _, v in factors))]
    cells = [Cell("u1", "s", setup) for setup in reversed(setups)]
    ordered = run_order(cells, (), lambda c: c.setup.conditions, lambda _: 1.0)
    assert sorted(map(str, ordered)) == sorted(map(str, cells))
    assert total(ordered, (), lambda _: 1.0) <= 3 + 17 + 3  # every step of a snake changes one factor only


def test_what_the_program_sets_is_no_work_for_a_hand():
    document = small_demo()
    plan = document.plans[0]
    factor = Factor("level at the output", (Measured(0.05, "V"),), sets="level_v", cost=1.0)
    document = document.with_plan(replace(plan, factors=(*plan.factors, factor)))
    cell = Cell("u1", "response", document.plans[0].setups()[0])
    assert [f for f, _ in wanted(document, cell)] == ["pickup", "unit", "supply", "load"]
    assert wanted(document, Cell.floor("response")) == (("pickup", Measured(1.0, "1")), ("unit", "cable"))
    by_hand = Bench(simulated_bench(plan.rig).device)
    assert by_hand.price(document, "unit") > by_hand.price(document, "load")


def test_what_another_plan_left_in_the_path_is_taken_out():
    """A resistor that was put before an input for one unit would falsify every reading of the next."""
    document = small_demo()
    cell = Cell("u1", "response", document.plans[0].setups()[0])
    left = (("series resistor", Measured(10e3, "ohm")), ("treble", "boost"))
    assert ("series resistor", Measured(0.0, "ohm")) in wanted(document, cell, left)
    assert "series resistor" not in dict(wanted(document, cell, ()))
    assert "series resistor" not in dict(wanted(document, cell, (("series resistor", Measured(0.0, "ohm")),)))
