"""A weighting's margins laid on the cases: distinct combinations, their categories, targets that fit them."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from even_ballot.core.data.dataset import Dataset
from even_ballot.core.faults import Fault, StudyError, counted, fault, some
from even_ballot.core.numerics.arrays import Floats, Ints
from even_ballot.core.numerics.compiled import compiled
from even_ballot.core.sampling.tallies import in_halves
from even_ballot.core.weighting.request import Margin, Weighting

_DENSE = 1 << 20
_BLOCK = 1 << 14
_SUMS = {"shares": (1.0, 0.0005), "percent": (100.0, 0.05)}
CategoryCodes = dict[str, int | None]


@compiled
def _extend(index: Any, positions: Any, width: int) -> None:
    """index ← index · width + position, an unknown (−1) taking the last place."""
    for k in range(index.shape[0]):
        p = positions[k]
        index[k] = index[k] * width + (p if p >= 0 else width - 1)


@compiled
def _add_up(index: Any, base: Any, sums: Any, cases: Any) -> None:
    """Base weight and cases of positive weight by combination."""
    for k in range(index.shape[0]):
        sums[index[k]] += base[k]
        cases[index[k]] += base[k] > 0


@compiled
def _multiply(base: Any, factor: Any, index: Any, out: Any) -> None:
    for k in range(index.shape[0]):
        out[k] = base[k] * factor[index[k]]


def spread_out(base: Floats, factor: Floats, index: NDArray[Any]) -> Floats:
    """base · factor[index], (n,)."""
    out = np.empty(len(base))
    in_halves(len(base), lambda lo, hi: _multiply(base[lo:hi], factor, index[lo:hi], out[lo:hi]))
    return out


@dataclass(frozen=True)
class Combinations:
    """The distinct combinations of several coded variables' categories.

    index: (n,), each case's combination. places: (K, variables), positions among the variable's
    categories, −1 unknown. base: (K,), Σ d over the cases. cases: (K,), how many of positive weight.
    """

    names: tuple[str, ...]
    index: NDArray[Any]
    places: Ints
    base: Floats
    cases: Ints

    def place(self, names: tuple[str, ...]) -> Ints:
        """The columns of `places` of some variables."""
        return self.places[:, [self.names.index(name) for name in names]]


def combine(
    columns: list[NDArray[Any]], widths: list[int], base: Floats, names: tuple[str, ...] = ()
) -> Combinations:
    """Combinations of position arrays; widths: categories of each, the unknown included.

    Goes block by block, so that a block's index stays in the processor's cache over all columns.
    """
    n, size = len(base), int(np.prod([float(w) for w in widths])) if widths else 1
    if size > 1 << 62:
        raise fault("These margins have too many combinations of categories.", "", "Cross fewer variables.")
    dense = size <= _DENSE
    index = np.zeros(n, np.int32 if dense else np.int64)

    def part(start: int, stop: int) -> tuple[Floats, Ints]:
        sums, cases = np.zeros(size if dense else 0), np.zeros(size if dense else 0, np.int64)
        for lo in range(start, stop, _BLOCK):
            at = slice(lo, min(lo + _BLOCK, stop))
            for positions, width in zip(columns, widths, strict=True):
                _extend(index[at], positions[at], width)
            if dense:
                _add_up(index[at], base[at], sums, cases)
        return sums, cases

    parts = in_halves(n, part)
    if dense:
        found = np.arange(size)
        sums, cases = (sum(side[1:], side[0]) for side in zip(*parts, strict=True))
    else:
        found, inverse = np.unique(index, return_inverse=True)
        index = inverse.ravel()
        sums = np.bincount(index, weights=base, minlength=len(found))
        cases = np.bincount(index[base > 0], minlength=len(found))
    places = np.zeros((len(found), len(widths)), np.int64)
    rest = found
    for j in range(len(widths) - 1, -1, -1):
        rest, places[:, j] = np.divmod(rest, widths[j])
        places[places[:, j] == widths[j] - 1, j] = -1
    return Combinations(names, index, places, sums, cases)


@dataclass(frozen=True)
class LaidMargin:
    """One margin on the combinations.

    category: (K,), each combination's category, groups included; −1 for combinations without weight. at:
    of each category, code by variable, None where unknown. target: (J,), shares of the whole. group: (J,).
    """

    margin: Margin
    category: Ints
    at: tuple[CategoryCodes, ...]
    target: Floats
    group: Ints

    def label(self, data: Dataset, j: int) -> str:
        """A category in words: the labels of its codes."""
        words = []
        for name, code in self.at[j].items():
            words.append(
                "unknown"
                if code is None
                else next(c.label for c in data.categories(name)[0] if c.code == code)
            )
        return ", ".join(words)


def codes_of(data: Dataset, name: str, where: str) -> dict[int, str]:
    """A coded variable's codes and labels; another kind is refused."""
    variable = data.variable(name, where)
    if variable.kind != "coded":
        raise fault(
            f"{name} is a {variable.kind}; margins are over coded variables.", where, "Code or band it first."
        )
    data.column(name, where)
    return {item.code: item.label for item in data.categories(name)[0]}


def combinations_of(
    data: Dataset, weighting: Weighting, base: Floats, where: str
) -> tuple[Combinations, dict[str, list[int]]]:
    """The combinations of all variables a weighting's margins and groups use, and each variable's codes."""
    names = tuple(dict.fromkeys((*weighting.within, *(name for m in weighting.margins for name in m.by))))
    codes = {name: list(codes_of(data, name, where)) for name in names}
    columns = [data.positions(name) for name in names]
    return combine(columns, [len(codes[name]) + 1 for name in names], base, names), codes


def groups_of(combos: Combinations, weighting: Weighting, where: str) -> tuple[Ints, Ints]:
    """Each combination's `within` group, and each group's places; unknown groups stop."""
    if not weighting.within:
        return np.zeros(len(combos.base), np.int64), np.zeros((1, 0), np.int64)
    places = combos.place(weighting.within)
    lost = (places < 0).any(1) & (combos.base > 0)
    if lost.any():
        n = counted(int(combos.cases[lost].sum()), "case has", "cases have")
        raise fault(
            f"{n} no value on {some(weighting.within)}.",
            f"{where}.within",
            "Fill it in, or set these cases aside.",
        )
    found, index = np.unique(places, axis=0, return_inverse=True)
    live = np.bincount(index.ravel(), weights=combos.base) > 0
    return np.where(combos.base > 0, (np.cumsum(live) - 1)[index.ravel()], 0), found[live]


def _named(data: Dataset, at: CategoryCodes) -> str:
    parts = []
    for name, code in at.items():
        label = next((item.label for item in data.categories(name)[0] if item.code == code), None)
        parts.append(f"{name} {code}" if label in (None, str(code)) else f"{name} {code} ({label})")
    return ", ".join(parts)


def lay_margin(
    data: Dataset,
    margin: Margin,
    weighting: Weighting,
    combos: Combinations,
    codes: dict[str, list[int]],
    groups: tuple[Ints, Ints],
    where: str,
) -> LaidMargin:
    """A margin's categories and targets; whatever does not fit is named. Targets are as given, not yet
    shares."""
    group_of, group_places = groups
    places = combos.place(margin.by)
    live = combos.base > 0
    unknown = (places < 0).any(1) & live
    if unknown.any() and margin.unknown == "refuse":
        raise _unknown(margin, int(combos.cases[unknown].sum()), where)
    keys = np.column_stack([group_of, np.where(unknown[:, None], -1, places)])
    found, index = np.unique(keys[live], axis=0, return_inverse=True)
    category = np.full(len(live), -1, np.int64)
    category[live] = index.ravel()
    wanted, faults = _wanted(data, margin, weighting, codes, group_places, where)
    spots = [_spot(margin, weighting, codes, group_places, key) for key in found.tolist()]
    target = np.full(len(found), np.nan)
    for j, (group, *place) in enumerate(found.tolist()):
        # An unknown that is held has no target of its own.
        if place[0] >= 0:
            value = wanted.pop((group, *place), None)
            target[j] = value or 0.0
            n = int(combos.cases[category == j].sum())
            faults += _target_faults(_named(data, spots[j]), value, n, where)
    for key, value in wanted.items():
        if value > 0:
            spot = _named(data, _spot(margin, weighting, codes, group_places, key))
            what = f"Nobody is in {spot}, which has a target of {value:g}."
            mend = "Join it to another category, or leave it out and let the others sum to the whole."
            faults.append(Fault(what, where, mend))
    if faults:
        raise StudyError(faults)
    return LaidMargin(margin, category, tuple(spots), target, found[:, 0])


def _unknown(margin: Margin, cases: int, where: str) -> StudyError:
    return fault(
        f"{counted(cases, 'case has', 'cases have')} no value on {margin.title}.",
        where,
        "Fill it in, set these cases aside, or hold their share as it is.",
        kind="unknown_on_margin",
        write='"unknown": "hold"',
    )


def _spot(
    margin: Margin,
    weighting: Weighting,
    codes: dict[str, list[int]],
    group_places: Ints,
    key: Sequence[int],
) -> CategoryCodes:
    """A category by its group and places; none of the places of an unknown is known."""
    group, *place = key
    of_group = group_places[group].tolist()
    spot: CategoryCodes = {name: codes[name][p] for name, p in zip(weighting.within, of_group, strict=True)}
    held = place[0] < 0
    return spot | {name: None if held else codes[name][p] for name, p in zip(margin.by, place, strict=True)}


def _target_faults(spot: str, value: float | None, n: int, where: str) -> list[Fault]:
    """What is wrong with the target of a category that has cases."""
    if value is None:
        what = f"{counted(n, 'case is', 'cases are')} in {spot}, which has no target."
        return [Fault(what, where, "Give it a target, or set the cases aside.")]
    if value == 0:
        mend = "Set these cases aside, or give it a target above 0."
        return [Fault(f"{spot} has target 0 but {counted(n, 'case')}.", where, mend)]
    return []


def _wanted(
    data: Dataset,
    margin: Margin,
    weighting: Weighting,
    codes: dict[str, list[int]],
    group_places: Ints,
    where: str,
) -> tuple[dict[tuple[int, ...], float], list[Fault]]:
    """Targets by (group, positions), and faults of those that name what is not there."""
    wanted: dict[tuple[int, ...], float] = {}
    faults = []
    for t, target in enumerate(margin.targets):
        place = f"{where}.targets[{t}]"
        strange = [name for name, code in target.at.items() if code not in codes[name]]
        if strange:
            if target.value > 0:
                known = some([f"{c.code} ({c.label})" for c in data.categories(strange[0])[0]])
                faults.append(
                    Fault(
                        f"Nobody is in {strange[0]} {target.at[strange[0]]}: it is no category of "
                        f"{strange[0]}.",
                        place,
                        f"Categories there are: {known}.",
                    )
                )
            continue
        for group, of_group in enumerate(group_places.tolist()):
            here = dict(zip(weighting.within, of_group, strict=True))
            if any(name in target.at and codes[name].index(target.at[name]) != p for name, p in here.items()):
                continue
            key = (group, *(codes[name].index(target.at[name]) for name in margin.by))
            if key in wanted:
                faults.append(Fault(f"{_named(data, dict(target.at))} has two targets.", place, "Keep one."))
            wanted[key] = target.value
    return wanted, faults


def check_sums(laid: LaidMargin, group_names: list[str], where: str) -> Floats:
    """What each group's targets sum to; shares and per cent that do not sum to the whole stop."""
    known = np.nan_to_num(laid.target)
    sums = np.bincount(laid.group, weights=known, minlength=len(group_names))
    if laid.margin.as_ in _SUMS:
        whole, slack = _SUMS[laid.margin.as_]
        for g in np.flatnonzero(np.abs(sums - whole) > slack):
            inside = f" in {group_names[g]}" if group_names[g] else ""
            raise fault(
                f"The targets of {laid.margin.title}{inside} sum to {sums[g]:.6g}, not {whole:g}; "
                f"{abs(whole - sums[g]):.6g} {'is missing' if sums[g] < whole else 'too much'}.",
                f"{where}.targets",
                f"Change them until they sum to {whole:g}.",
            )
    return np.asarray(sums)
