"""Codes among numbers that mean no answer: 99 beyond the ages, 8 and 9 beyond a scale of 1 to 5, −1 to −9."""

from collections.abc import Mapping

_LOW, _HIGH = range(-9, 0), (7, 8, 9)
_BEYOND = tuple(
    tuple(int(digits) for digits in family.split())
    for family in (
        "66 77 88 96 97 98 99",
        "666 777 888 996 997 998 999",
        "6666 7777 8888 9996 9997 9998 9999",
        "99997 99998 99999",
        "999997 999998 999999",
    )
)
_SPECIAL = {-99, -98, -97, -88, -77, -66, -999, -998, -997, -9999}


def missing_among(numbers: Mapping[float, int]) -> tuple[int, ...]:
    """The codes that likely mean no answer, ascending: whole numbers of the kind people use for it, apart
    from all the others. numbers: with how many cells hold each.

    >>> missing_among({1: 5, 2: 9, 3: 9, 4: 8, 5: 3, 9: 1})
    (9,)
    >>> missing_among({18: 3, 64: 3, 99: 2}), missing_among({95: 3, 97: 3, 99: 2})
    ((99,), ())
    >>> missing_among({-1: 2, 0: 9})
    (-1,)
    """
    negative = {int(v) for v in numbers if v < 0 and v == int(v) and (int(v) in _LOW or int(v) in _SPECIAL)}
    if (
        any(v < 0 and v not in negative for v in numbers)
        or not any(v >= 0 for v in numbers)
        or sum(n for v, n in numbers.items() if v in negative) > sum(numbers.values()) / 2
    ):
        negative = set()
    rest = {v: n for v, n in numbers.items() if v not in negative}
    return tuple(sorted(negative | _beyond(rest)))


def _beyond(numbers: Mapping[float, int]) -> set[int]:
    """Codes above all the others, with a gap between."""
    usual = sorted(numbers)
    whole = {int(v) for v in usual if v == int(v)}
    for family in reversed(_BEYOND):
        among = sorted(whole & set(family))
        for first in range(len(among)):
            found = set(among[first:])
            top = next((v for v in reversed(usual) if v not in found), None)
            if top is not None and _apart(among[first], top, family) and _usual(found, top):
                few = sum(numbers[v] for v in found) <= sum(numbers.values()) / 2
                return found if few else set()
    found = whole & set(_HIGH)
    others = [v for v in numbers if v not in found]
    if not found or not others or any(v != int(v) for v in others):
        return set()
    top = max(others)
    scale = min(others) >= 1 or min(others) == 0
    gap = min(found) - top
    if (
        scale
        and 2 <= top <= 6
        and (gap >= 2 or (found == {8, 9} and top <= 5) or (found == {9} and top <= 7))
    ):
        return found
    return set()


def _apart(lowest: int, top: float, family: tuple[int, ...]) -> bool:
    """Two digits stand apart where nothing comes near them; longer ones where nothing is half as large."""
    return top < lowest - 5 if family[0] < 100 else top < 0.6 * lowest


def _usual(found: set[int], top: float) -> bool:
    """66, 77 and 88 by themselves are numbers like others; beside 99 or 97, or beyond a scale, codes."""
    return any(str(v).startswith("9") for v in found) or top <= 11
