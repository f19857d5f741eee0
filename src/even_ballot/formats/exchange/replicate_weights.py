"""Replicate weights as columns of the records, and how to use them."""

import json
from typing import Any

import numpy as np

from even_ballot.core.faults import fault
from even_ballot.core.numerics.arrays import Floats
from even_ballot.core.sampling.case_values import ReplicateWeights
from even_ballot.core.sampling.design import Design, GivenColumns
from even_ballot.core.sampling.sample import Sample

MOST = 5_000
_USE = (
    "Work an estimate out with the weight, and again with each replicate weight in its place. Its variance "
    "is the sum over the replicates of scale times the squared difference between the replicate's estimate "
    "and the full one; confidence limits use Student's t with df degrees of freedom. A case without "
    "replicate weights is excluded. Groups of cases whose weights are 0 together are first-stage units."
)


class ReplicateColumns:
    """The replicate weights of all cases in the order of the records. weight: the name of the full one;
    taken: names of columns there are."""

    def __init__(self, sample: Sample, design: Design, weight: str | None, taken: set[str]) -> None:
        replicates = sample.units.replicates
        assert replicates is not None
        self.sample, self.replicates, self.design, self.weight = sample, replicates, design, weight
        if replicates.count > MOST:
            raise fault(
                f"{replicates.count:,} replicate weights are more than the {MOST:,} columns that records may "
                "have of them.",
                "design.save_replicates",
                "Use a bootstrap with fewer replicates, or leave save_replicates out.",
            )
        # Columns that came with the file stand among its own.
        self.own = not isinstance(design.variance, GivenColumns)
        if isinstance(design.variance, GivenColumns):
            self.names = list(design.variance.columns)
        else:
            stem = f"{weight or 'weight'}_replicate"
            while any(name.startswith(f"{stem}_") for name in taken):
                stem += "_x"
            self.names = [f"{stem}_{k}" for k in range(1, replicates.count + 1)]
        rows = np.concatenate([part.data.rows for part in sample.parts])
        self._order = np.argsort(rows, kind="stable")
        self._starts = np.concatenate([[0], np.cumsum([part.data.n for part in sample.parts])])
        self._weights = ReplicateWeights(sample, slice(None))

    def of(self, part: slice) -> Floats:
        """Those of some records, (n, R); NaN in a replicate that has no weights."""
        wanted = self._order[part]
        number = np.searchsorted(self._starts, wanted, side="right") - 1
        found = np.zeros((len(wanted), self.replicates.count))
        for k in np.unique(number).tolist():
            here = number == k
            found[here] = self._weights.of(k, wanted[here] - self._starts[k])
        if self.replicates.failed is not None:
            found[:, self.replicates.failed] = np.nan
        return found

    def document(self) -> dict[str, Any]:
        """What the columns are and how they are used."""
        c = self.replicates.c.tolist()
        scale = c[0] if len(set(c)) == 1 else c
        failed, df = self.replicates.failed, self.sample.units.degrees_of_freedom
        return {
            "weight": self.weight,
            "columns": self.names,
            "scale": scale,
            "df": df,
            "made_by": self.design.variance.model_dump(mode="json"),
            "raked_again": self.design.calibrated,
            "without_weights": [] if failed is None else [self.names[k] for k in np.flatnonzero(failed)],
            "use": _USE,
            "design": {
                "weight": self.weight,
                "strata": list(self.design.strata),
                "clusters": list(self.design.clusters),
                "variance": {"method": "columns", "columns": self.names, "scale": scale, "df": df},
            },
        }

    def text(self) -> bytes:
        """The same as a JSON document."""
        return (json.dumps(self.document(), ensure_ascii=False, indent=1) + "\n").encode(errors="replace")
