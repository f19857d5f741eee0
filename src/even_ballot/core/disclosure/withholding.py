"""Which analyses are not told: small groups could be worked out with them and all else that is released."""

from collections.abc import Sequence
from dataclasses import dataclass

from even_ballot.core.disclosure.atoms import Atoms, Links
from even_ballot.core.disclosure.claims import Analyses, Claim, ClaimKey, asked_of, besides_of, claims_of
from even_ballot.core.disclosure.events import events_of
from even_ballot.core.disclosure.hiding import sensitive
from even_ballot.core.disclosure.openings import Openings
from even_ballot.core.disclosure.suppression import Suppression
from even_ballot.core.disclosure.tables import HiddenPattern
from even_ballot.core.progress import Progress, quiet
from even_ballot.core.tables.shared import SharedCounts
from even_ballot.core.tables.table_request import TableRequest

_MOST_LOOKS = 600


@dataclass(frozen=True)
class Withheld:
    """Analyses, and pairs of correlations, that are not told; unjudged: how many of them because there was
    too much to judge."""

    keys: frozenset[ClaimKey] = frozenset()
    unjudged: int = 0


class _Judge:
    """What is in sight, and whether it leaves every small group open when more is told. hidden: what is not
    in sight of the tables."""

    def __init__(self, search: Openings, tell: Progress) -> None:
        self.search, self.looks, self.tell = search, 0, tell
        self.released = set(search.events.published)
        self.small = [
            terms
            for terms in sensitive(search)
            if len(terms) == 1 or not any(i in search.hidden for i, _ in terms)
        ]

    def allows(self, claims: Sequence[Claim]) -> bool | None:
        """Whether all small groups stay open with these told, and then they are; None where that was not
        found out."""
        search, wanted = self.search, {i for claim in claims for i in claim.told}
        roots = {root for i in wanted for root in search.vector(i)}
        own = [((i, 1.0),) for claim in claims for i in claim.small if 1 <= search.value[i] < search.below]
        search.tell(self.released | wanted, [of[0][0] for of in (*own, *self.small) if len(of) == 1])
        for terms in dict.fromkeys([*own, *self.small]):
            if not any(root in roots for i, _ in terms for root in search.vector(i)):
                continue
            self.looks += 1
            self.tell("Judging models, scales and correlations", None)
            if self.looks > _MOST_LOOKS:
                return None
            if not search.protect(terms):
                return False
        self.released |= wanted
        self.small += own
        return True


def withheld_of(
    shared: SharedCounts,
    requests: Sequence[TableRequest],
    analyses: Analyses,
    pattern: HiddenPattern,
    asked: Suppression,
    links: Links | None = None,
    margins: Sequence[tuple[str, ...]] = (),
    tell: Progress = quiet,
) -> Withheld:
    """Analyses that are not to be told when all these tables, and as many analyses as can be, are released
    together. pattern: what is hidden of the tables.

    >>> from even_ballot.core.data.example import ferry
    >>> from even_ballot.core.calibration.weighted_sample import sampled
    >>> from even_ballot.core.disclosure.tables import pattern_of
    >>> from even_ballot.core.models.model_request import CorrelationsRequest
    >>> from even_ballot.core.sampling.design import Design
    >>> shared, asked = SharedCounts(sampled(ferry(), Design(), "w")), Suppression(below=3)
    >>> pairs = CorrelationsRequest(id="c", variables=("isle", "crosses"))
    >>> sorted(withheld_of(shared, [], {"correlations": [pairs]}, pattern_of(shared, [], asked), asked).keys)
    [('correlations', 0, 'isle', 'crosses')]
    """
    assert asked.below is not None
    asking = asked_of(shared, analyses)
    if not asking:
        return Withheld()
    events = events_of(shared, requests, margins, besides_of(asking))
    claims = claims_of(events, asking)
    events.weighted |= {i for claim in claims for i in claim.told}
    keys = {at: key for key, at in pattern.events.ids.items()}
    hidden = {events.ids[keys[i]] for i in (*pattern.hidden.small, *pattern.hidden.protecting)}
    search = Openings(events, Atoms(events, links or {}, margins), asked.below, asked.range, hidden)
    judge = _Judge(search, tell)
    left = [claim for claim in claims if claim.judged and not _tells_few(claim, search)]
    unjudged = sum(not claim.judged for claim in claims)
    fine: set[ClaimKey] = set()
    if left and judge.allows(left):
        fine = {claim.key for claim in left}
    else:
        for claim in left:
            allowed = judge.allows([claim])
            unjudged += allowed is None
            if allowed:
                fine.add(claim.key)
    return Withheld(frozenset(claim.key for claim in claims if claim.key not in fine), unjudged)


def _tells_few(claim: Claim, search: Openings) -> bool:
    """Whether a claim tells a small group, or a hidden one, by itself."""
    few = (search.value[i] for i in claim.counts)
    return (
        0 < claim.lost < search.below
        or any(0 < n < search.below for n in few)
        or any(i in search.hidden for i in claim.told)
    )
