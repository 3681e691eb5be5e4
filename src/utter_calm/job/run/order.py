"""The order of a run: hands move as rarely as possible, and dear changes least often."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Iterable, Sequence

from utter_calm.job.document import Cell
from utter_calm.quantities import Conditions

Wanted = Conditions
_EXACT_UP_TO = 9


def run_order(
    cells: Iterable[Cell], standing: Wanted, wanted: Callable[[Cell], Wanted], cost: Callable[[str], float]
) -> list[Cell]:
    """Order cells so that the changes from one to the next cost as little as possible in all.

    Cells that want the same bench stay together, in the plan's order. Up to nine different benches the best order is found
    exactly (Held and Karp 1962); beyond that greedily, then improved by turning stretches round.

    Parameters
    ----------
    standing
        How the bench stands at first.
    wanted
        What a cell wants of the bench.
    cost
        What a change of a factor costs.
    """
    groups: dict[Wanted, list[Cell]] = {}
    for cell in cells:
        groups.setdefault(wanted(cell), []).append(cell)
    benches = list(groups)
    price = _prices([standing, *benches], cost)
    find = _exact if len(benches) <= _EXACT_UP_TO else _greedy
    return [cell for index in find(price) for cell in groups[benches[index - 1]]]


def change_cost(before: Wanted, after: Wanted, cost: Callable[[str], float]) -> float:
    """Price of the changes from one bench to another; a factor that the second does not care for costs nothing."""
    now = dict(before)
    return sum(cost(factor) for factor, value in after if now.get(factor) != value)


def _prices(benches: Sequence[Wanted], cost: Callable[[str], float]) -> list[list[float]]:
    return [[change_cost(a, b, cost) for b in benches] for a in benches]


def _exact(price: list[list[float]]) -> list[int]:
    """Cheapest order of 1 .. n after 0; among equals the one that keeps the plan's order."""
    count = len(price) - 1
    best: dict[tuple[int, int], tuple[float, tuple[int, ...]]] = {
        (1 << (k - 1), k): (price[0][k], (k,)) for k in range(1, count + 1)
    }
    for size in range(2, count + 1):
        for chosen in itertools.combinations(range(1, count + 1), size):
            mask = sum(1 << (k - 1) for k in chosen)
            for last in chosen:
                rest = mask & ~(1 << (last - 1))
                options = ((best[rest, k][0] + price[k][last], (*best[rest, k][1], last)) for k in chosen if k != last)
                best[mask, last] = min(options)
    full = (1 << count) - 1
    return list(min(best[full, k] for k in range(1, count + 1))[1]) if count else []


def _greedy(price: list[list[float]]) -> list[int]:
    left, order, at = list(range(1, len(price))), [], 0
    while left:
        at = min(left, key=lambda k: (price[at][k], k))
        left.remove(at)
        order.append(at)
    improved = True
    while improved:
        improved = False
        for i, j in itertools.combinations(range(len(order)), 2):
            turned = order[:i] + order[i : j + 1][::-1] + order[j + 1 :]
            if _length(price, turned) < _length(price, order) - 1e-9:
                order, improved = turned, True
    return order


def _length(price: list[list[float]], order: list[int]) -> float:
    return sum(price[a][b] for a, b in itertools.pairwise([0, *order]))
