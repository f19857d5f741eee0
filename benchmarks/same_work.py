"""What `whole_run.py` holds the command against: a script that does the same work by a dataframe library and
arrays, as a practised hand writes it, without a codebook, checks, a ledger or documents.

    python benchmarks/same_work.py answers.csv OUT       all of it
    python benchmarks/same_work.py answers.csv OUT plain  neither raking nor errors
"""

import hashlib
import sys
from pathlib import Path

import numpy as np
import polars as pl
import xlsxwriter

Array = np.ndarray
BANNER = {"isle": 4, "sex": 2, "age_band": 5}
QUESTIONS = {f"q{k}": 5 for k in range(1, 9)} | {f"w{k}": 4 for k in range(1, 5)}
WORDS = ["Never", "Sometimes", "Often", "Always"]
EDGES = [30, 45, 60, 75]
SHARES = {name: [1 / k] * k for name, k in BANNER.items()}


def sha256(path: Path) -> str:
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def recoded(frame: pl.DataFrame) -> dict[str, Array]:
    """Every variable from 0, as small whole numbers."""
    ages = frame["age"].to_numpy()
    codes = {
        name: frame[name].to_numpy() - 1 for name in ("isle", "sex", *(q for q in QUESTIONS if q[0] == "q"))
    }
    codes["age_band"] = np.searchsorted(EDGES, ages, side="right")
    words = pl.Enum(WORDS)
    codes |= {q: frame[q].cast(words).to_physical().to_numpy() for q in QUESTIONS if q[0] == "w"}
    return {name: of.astype(np.int16) for name, of in codes.items()}


def raked(codes: dict[str, Array], base: Array) -> Array:
    """Weights that meet the margins, by iterative fitting of the combinations' sums."""
    sizes = list(BANNER.values())
    combination = np.ravel_multi_index([codes[name] for name in BANNER], sizes)
    cells = np.bincount(combination, base, int(np.prod(sizes))).reshape(sizes)
    fitted = cells.copy()
    for _ in range(200):
        worst = 0.0
        for axis, name in enumerate(BANNER):
            others = tuple(k for k in range(len(sizes)) if k != axis)
            target = np.array(SHARES[name]) * cells.sum()
            ratio = target / fitted.sum(others)
            worst = max(worst, float(np.abs(ratio - 1).max()))
            fitted *= ratio.reshape([-1 if k == axis else 1 for k in range(len(sizes))])
        if worst < 1e-8:
            break
    return base * (fitted / cells).ravel()[combination]


class Design:
    """Units by stratum."""

    def __init__(self, frame: pl.DataFrame) -> None:
        stratum, psu = frame["stratum"].to_numpy(), frame["psu"].to_numpy()
        pairs, self.unit = np.unique(stratum.astype(np.int64) * 100_000 + psu, return_inverse=True)
        self.stratum = np.unique(pairs // 100_000, return_inverse=True)[1]
        self.units = len(pairs)
        self.n = np.bincount(self.stratum)

    def covariance(self, z: Array) -> Array:
        """Of totals by unit, (U, m)."""
        mean = np.stack([np.bincount(self.stratum, of) for of in z.T], 1) / self.n[:, None]
        apart = (z - mean[self.stratum]) * np.sqrt(self.n / (self.n - 1))[self.stratum][:, None]
        return apart.T @ apart


def shares(design: Design, stub: Array, k: int, banner: Array, c: int, weight: Array) -> list[list[float]]:
    """Column per cents with errors, and tests of all pairs of columns by row."""
    at = (design.unit * c + banner) * k + stub
    sums = np.bincount(at, weight, design.units * c * k).reshape(design.units, c, k)
    n = np.bincount(banner.astype(np.int64) * k + stub, minlength=c * k).reshape(c, k)
    totals = sums.sum(0)
    whole = totals.sum(1)
    share = totals / whole[:, None]
    z = (sums - sums.sum(2, keepdims=True) * share) / whole[:, None]
    covariance = design.covariance(z.reshape(design.units, -1)).reshape(c, k, c, k)
    rows = []
    for j in range(k):
        errors = np.sqrt(np.diagonal(covariance[:, j, :, j]))
        rows.append([*n[:, j], *share[:, j], *errors])
        v = covariance[:, j, :, j]
        t = (share[:, j][:, None] - share[:, j]) / np.sqrt(
            np.add.outer(np.diag(v), np.diag(v)) - 2 * v + 1e-300
        )
        rows.append(t[np.triu_indices(c, 1)].tolist())
    return rows


def means(design: Design, y: Array, banner: Array, c: int, weight: Array) -> list[list[float]]:
    """Means with errors, and medians."""
    at = design.unit * c + banner
    w = np.bincount(at, weight, design.units * c).reshape(design.units, c)
    wy = np.bincount(at, weight * y, design.units * c).reshape(design.units, c)
    mean = wy.sum(0) / w.sum(0)
    errors = np.sqrt(np.diag(design.covariance((wy - w * mean) / w.sum(0))))
    medians = []
    for j in range(c):
        inside = banner == j
        order = np.argsort(y[inside], kind="stable")
        reached = np.cumsum(weight[inside][order])
        medians.append(float(y[inside][order][np.searchsorted(reached, reached[-1] / 2)]))
    return [mean.tolist(), errors.tolist(), medians]


def everything(frame: pl.DataFrame) -> tuple[dict[str, list[list[float]]], Array]:
    """Sheets and weights."""
    codes = recoded(frame)
    weight = raked(codes, frame["base"].to_numpy())
    design = Design(frame)
    sheets: dict[str, list[list[float]]] = {}
    none = np.zeros(len(frame), np.int16)
    for q, k in QUESTIONS.items():
        sheets[q] = shares(design, codes[q], k, none, 1, weight)
        for name, c in BANNER.items():
            sheets[q] += shares(design, codes[q], k, codes[name], c, weight)
    sheets["numbers"] = []
    for y in ("age", "spend"):
        values = frame[y].to_numpy().astype(np.float64)
        sheets["numbers"] += means(design, values, none, 1, weight)
        sheets["numbers"] += means(design, values, codes["isle"], 4, weight)
    return sheets, weight


def plain(frame: pl.DataFrame) -> tuple[dict[str, list[list[float]]], Array]:
    """The same groups, counted and weighted by the base weight."""
    frame = frame.with_columns(age_band=pl.col("age").cut([float(edge) for edge in EDGES]).to_physical())
    sheets = {}
    for q in QUESTIONS:
        sheets[q] = []
        for by in BANNER:
            found = frame.group_by(by, q).agg(pl.len(), pl.col("base").sum())
            sheets[q] += [list(row[2:]) for row in found.rows()]
    found = frame.group_by("isle").agg(
        pl.col("age", "spend").mean(), pl.col("age", "spend").median().name.suffix("_")
    )
    sheets["numbers"] = [list(row[1:]) for row in found.rows()]
    return sheets, frame["base"].to_numpy()


def main() -> None:
    source, out = Path(sys.argv[1]), Path(sys.argv[2])
    out.mkdir(exist_ok=True)
    frame = pl.read_csv(source)
    sheets, weight = (plain if sys.argv[3:] else everything)(frame)
    frame.with_columns(weight=weight).write_csv(out / "microdata.csv")
    book = xlsxwriter.Workbook(str(out / "tables.xlsx"))
    for name, rows in sheets.items():
        sheet = book.add_worksheet(name)
        for i, row in enumerate(rows):
            sheet.write_row(i, 0, [float(x) for x in row])
    book.close()
    print(sha256(source), sha256(out / "microdata.csv"))


if __name__ == "__main__":
    main()
