"""The made-up isles: strata, landing districts, people."""

from dataclasses import dataclass

import numpy as np

ISLES = ("Hask", "Orran", "Tolvey", "Brim")
SIDES = ("harbour", "inland")
ADULTS = 61_300
_ISLE_SHARE = (0.37, 0.28, 0.21, 0.14)
_DRAWN = {("Hask", 0): 28, ("Hask", 1): 22, ("Orran", 0): 20, ("Orran", 1): 18,
          ("Tolvey", 0): 17, ("Tolvey", 1): 17, ("Brim", 0): 14, ("Brim", 1): 14}  # fmt: skip


@dataclass(frozen=True)
class District:
    """A landing district that was drawn."""

    code: str
    isle: int
    side: int
    in_stratum: int
    households: int
    asked: int

    @property
    def stratum(self) -> str:
        return f"{ISLES[self.isle]} {SIDES[self.side]}"

    @property
    def base_weight(self) -> float:
        """Inverse of the chance of the district times that of the household."""
        drawn = _DRAWN[(ISLES[self.isle], self.side)]
        return round(self.in_stratum / drawn * self.households / self.asked, 4)


def districts(rng: np.random.Generator) -> list[District]:
    """The 150 districts of the sample, in 8 strata."""
    found = []
    for i, isle in enumerate(ISLES):
        for side in range(2):
            drawn = _DRAWN[(isle, side)]
            in_stratum = int(drawn * rng.uniform(2.2, 3.4))
            numbers = np.sort(rng.choice(np.arange(1, in_stratum + 1), drawn, replace=False))
            for number in numbers:
                code = f"{isle[:2].upper()}{'HI'[side]}{number:02d}"
                households = int(
                    rng.integers(55, 130) * (1.3 if side == 0 else 0.9) * (1.25, 1.05, 0.85, 0.75)[i]
                )
                found.append(District(code, i, side, in_stratum, households, 0))
    return found


def margins() -> dict[str, dict[str, int]]:
    """Adults by margin and category label, each margin summing to 61,300."""
    by_isle = dict(zip(ISLES, (22_681, 17_164, 12_873, 8_582), strict=True))
    sex_by_age = {
        "Woman, 18 to 34": 7_410, "Woman, 35 to 59": 13_120, "Woman, 60 and over": 11_040,
        "Man, 18 to 34": 7_690, "Man, 35 to 59": 12_830, "Man, 60 and over": 9_210,
    }  # fmt: skip
    tenure = {"Owned by someone in the household": 38_420, "Rented": 18_350, "Some other way": 4_530}
    schooling = {
        "Primary school": 9_880, "Lower secondary school": 18_450, "Upper secondary school": 20_160,
        "College or university": 12_810,
    }  # fmt: skip
    tables = {"sex by age": sex_by_age, "isle": by_isle, "tenure": tenure, "schooling": schooling}
    assert all(sum(t.values()) == ADULTS for t in tables.values())
    return tables
