"""A weighting's margins laid on combinations of categories, with targets that fit them."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from even_ballot.core.data.dataset import Dataset
from even_ballot.core.faults import Fault, StudyError, counted, fault, some
from even_ballot.core.numerics.arrays import Floats, Ints
from even_ballot.core.weighting.laying.combinations import Combinations
from even_ballot.core.weighting.weighting import Margin, Weighting

_SUMS = {"shares": (1.0, 0.0005), "percent": (100.0, 0.05)}
CategoryCodes = dict[str, int | None]


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

    def label(self, head: Dataset, j: int) -> str:
        """A category in words: the labels of its codes."""
        words = []
        for name, code in self.at[j].items():
            words.append(
                "unknown"
                if code is None
                else next(c.label for c in head.categories(name)[0] if c.code == code)
            )
        return ", ".join(words)


def codes_of(head: Dataset, name: str, where: str) -> dict[int, str]:
    """A coded variable's codes and labels; another kind is refused.

    >>> from even_ballot.core.data.example import ferry
    >>> codes_of(ferry(), "isle", "by")
    {1: 'Hask', 2: 'Orran'}
    """
    variable = head.variable(name, where)
    if variable.kind != "coded":
        raise fault(
            f"{name} is a {variable.kind}; margins are over coded variables.", where, "Code or band it first."
        )
    head.column(name, where)
    return {item.code: item.label for item in head.categories(name)[0]}


def groups_of(combos: Combinations, weighting: Weighting, where: str) -> tuple[Ints, Ints]:
    """Each combination's `within` group, and each group's places; unknown groups stop.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.data.cases import Cases
    >>> from even_ballot.core.weighting.laying.combinations import combinations_of
    >>> weighting = Weighting(within=("isle",))
    >>> combos = combinations_of(Cases.of(ferry()), weighting, [np.ones(8)], {"isle": [1, 2]})
    >>> groups_of(combos, weighting, "")[1].tolist()
    [[0], [1]]
    """
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


def _named(head: Dataset, at: CategoryCodes) -> str:
    parts = []
    for name, code in at.items():
        label = next((item.label for item in head.categories(name)[0] if item.code == code), None)
        parts.append(f"{name} {code}" if label in (None, str(code)) else f"{name} {code} ({label})")
    return ", ".join(parts)


def lay_margin(
    head: Dataset,
    margin: Margin,
    weighting: Weighting,
    combos: Combinations,
    codes: dict[str, list[int]],
    groups: tuple[Ints, Ints],
    where: str,
) -> LaidMargin:
    """A margin's categories and targets; whatever does not fit is named. Targets are as given, not yet
    shares.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.weighting.laying.frame import frame_of
    >>> from even_ballot.core.weighting.weighting import Target
    >>> targets = tuple(Target(at={"isle": code}, value=0.5) for code in (1, 2))
    >>> weighting = Weighting(margins=(Margin(by=("isle",), targets=targets),))
    >>> frame_of(ferry(), weighting, [np.ones(8)], "").laid[0].at
    ({'isle': 1}, {'isle': 2})
    """
    group_of, group_places = groups
    places = combos.place(margin.by)
    live = combos.base > 0
    number = margin.total_of is not None
    unknown = (places < 0).any(1) & live
    if unknown.any() and margin.unknown == "refuse":
        raise _unknown(margin, int(combos.cases[unknown].sum()), where)
    keys = np.column_stack([group_of, np.where(unknown[:, None], -1, places)])
    found, index = np.unique(keys[live], axis=0, return_inverse=True)
    category = np.full(len(live), -1, np.int64)
    category[live] = index.ravel()
    wanted, faults = _wanted(head, margin, weighting, codes, group_places, where)
    spots = [_spot(margin, weighting, codes, group_places, key) for key in found.tolist()]
    target = np.full(len(found), np.nan)
    for j, (group, *place) in enumerate(found.tolist()):
        # An unknown that is held has no target of its own.
        if not place or place[0] >= 0:
            value = wanted.pop((group, *place), None)
            target[j] = value or 0.0
            n = int(combos.cases[category == j].sum())
            if value is None or not number:
                faults += _target_faults(_named(head, spots[j]) or "all", value, n, where)
    for key, value in wanted.items():
        if value > 0 or number:
            spot = _named(head, _spot(margin, weighting, codes, group_places, key))
            what = f"There are no cases in {spot}, which has a target of {value:g}."
            mend = (
                "Combine it with another category, or remove its target and make the others sum to the whole."
            )
            faults.append(Fault(what, where, mend))
    if faults:
        raise StudyError(faults)
    return LaidMargin(margin, category, tuple(spots), target, found[:, 0])


def _unknown(margin: Margin, cases: int, where: str) -> StudyError:
    return fault(
        f"{counted(cases, 'case has', 'cases have')} no value on {margin.title}.",
        where,
        "Fill it in, set these cases aside, or keep their share as it is.",
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
    held = bool(place) and place[0] < 0
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
    head: Dataset,
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
                known = some([f"{c.code} ({c.label})" for c in head.categories(strange[0])[0]])
                faults.append(
                    Fault(
                        f"Nobody is in {strange[0]} {target.at[strange[0]]}: it is no category of "
                        f"{strange[0]}.",
                        place,
                        f"Its categories: {known}.",
                    )
                )
            continue
        for group, of_group in enumerate(group_places.tolist()):
            here = dict(zip(weighting.within, of_group, strict=True))
            if any(name in target.at and codes[name].index(target.at[name]) != p for name, p in here.items()):
                continue
            key = (group, *(codes[name].index(target.at[name]) for name in margin.by))
            if key in wanted:
                faults.append(Fault(f"{_named(head, dict(target.at))} has two targets.", place, "Keep one."))
            wanted[key] = target.value
    return wanted, faults


def check_sums(laid: LaidMargin, group_names: list[str], where: str) -> Floats:
    """What each group's targets sum to; shares and per cent that do not sum to the whole stop.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.weighting.laying.frame import frame_of
    >>> from even_ballot.core.weighting.weighting import Target
    >>> targets = tuple(Target(at={"isle": code}, value=0.5) for code in (1, 2))
    >>> weighting = Weighting(margins=(Margin(by=("isle",), targets=targets),))
    >>> check_sums(frame_of(ferry(), weighting, [np.ones(8)], "").laid[0], [""], "").tolist()
    [1.0]
    """
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
