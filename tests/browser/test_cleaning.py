"""From the raw file to a clean, labelled study in the interface alone, with every planted fault found on
the way."""

from collections.abc import Callable
from functools import partial
from typing import Any

import httpx
import pytest
from pages import Browser

from even_ballot.demo import FILES
from even_ballot.demo.form import AGREE, HEADINGS, MISSPELT, OFTEN, STATEMENTS, TRANSLATED
from even_ballot.demo.generate import deliveries
from even_ballot.demo.study import names


def _worded(variables: Any, wanted: Any, finding: Any) -> bool:
    """A finding of one of some variables that is wanted."""
    return finding["variable"] in variables and bool(wanted(finding))


NAMES = names()
FIRST, LAST = NAMES[STATEMENTS[0]], NAMES[STATEMENTS[-1]]
AGE, SPEND, OFFICE = NAMES[HEADINGS.age], NAMES[HEADINGS.spend], NAMES[HEADINGS.office]


class Survey:
    """The study in hand: what is pressed goes through the browser; what was found is read where the page
    reads it."""

    def __init__(self, browser: Browser) -> None:
        self.browser = browser
        self.path = browser.driver.current_url.removeprefix(browser.address).split("/codebook")[0]
        self.calls = f"{browser.address}/api/v1/studies/{self.path.rsplit('/', 1)[1]}"
        self.said: list[str] = []

    def findings(
        self, kind: str, wanted: Callable[[dict[str, Any]], bool] = lambda _: True
    ) -> list[dict[str, Any]]:
        found = httpx.get(f"{self.calls}/findings", timeout=30).json()
        return [f for f in found if f["kind"] == kind and wanted(f)]

    def entries(self, **asked: Any) -> set[int]:
        """Entry numbers of the cases that the grid shows."""
        asked = {"columns": ["Entry"], "limit": 400, **asked}
        rows = httpx.post(f"{self.calls}/cells", json=asked, timeout=30).json()["rows"]
        return {int(row["entries"][0]) for row in rows}

    def found(self, kind: str, wanted: Callable[[dict[str, Any]], bool] = lambda _: True) -> set[int]:
        return set().union(*(self.entries(finding=f) for f in self.findings(kind, wanted)))

    def compare(self, what: str, found: set[int], planted: set[int], exact: bool = True) -> None:
        """Prints precision and recall; every planted fault is found, and where it is exact by nature
        nothing else."""
        precision, recall = len(found & planted) / max(len(found), 1), len(found & planted) / len(planted)
        self.said.append(f"{what}: precision {precision:.3f}, recall {recall:.3f}")
        assert recall == 1.0, (what, planted - found)
        if exact:
            assert precision == 1.0, (what, found - planted)

    def about(self, variable: str, role: str) -> None:
        self.browser.go(f"{self.path}/codebook/{variable}")
        self.browser.act("tool-about")
        self.browser.choose("Role", role)
        self.browser.act("apply-about")
        self.browser.until(lambda: not self.browser.all('[data-action="apply-about"]'), "the role to be kept")

    def apply(self, action: str) -> None:
        self.browser.settle()
        self.browser.act(action)
        self.browser.until(lambda: not self.browser.all(f'[data-action="{action}"]'), f"{action} to be done")

    def settle(self, address: str, sets_aside: int) -> None:
        """Sets the cases of a finding aside by the rule it proposes."""
        self.browser.go(f"{self.path}/screening/{address}")
        self.browser.act("mend-finding")
        self.browser.until(
            lambda: f"{sets_aside} set aside" in self.browser.all('[data-testid="tally"]')[0].text,
            f"{sets_aside} set aside",
        )


@pytest.fixture
def survey(browser: Browser) -> Survey:
    browser.go("/")
    browser.give_file("choose-file", FILES / "answers.csv")
    browser.see("40 blank records skipped")
    browser.act("import-plain")
    browser.see("The questionnaire, as it was answered")
    return Survey(browser)


def test_from_the_raw_file_to_a_clean_labelled_study_with_every_planted_fault_found(
    browser: Browser, survey: Survey
) -> None:
    planted = {kind: set(entries) for kind, entries in deliveries()[0].planted.entries.items()}
    assert "(and 40 blank records skipped)" in browser.all('[data-testid="tally"]')[0].text

    # Who is who: the identifier, the times, the status
    for heading, role in (
        (HEADINGS.letter, "id"),
        (HEADINGS.started, "started"),
        (HEADINGS.finished, "ended"),
        (HEADINGS.status, "status"),
    ):
        survey.about(NAMES[heading], role)

    # Whole entries: staff tests, letters used twice, haste
    survey.compare("staff tests", survey.found("staff_test"), planted["staff test"])
    survey.settle("staff_test~entry_status~Staff%20test", 14)
    twice = survey.found("duplicate_identifier")
    survey.compare("letters used twice, both of each", twice, planted["duplicate"], exact=False)
    assert len(twice) == 2 * len(planted["duplicate"])
    survey.settle("duplicate_identifier~code_letter~", 35)
    survey.compare("entries that repeat another's letter", survey.entries(aside=2), planted["duplicate"])
    browser.go(f"{survey.path}/screening/too_fast")
    browser.fill("Cut-off (seconds)", "120", enter=True)
    browser.see("under 120 seconds")
    survey.compare("too fast", survey.found("too_fast"), planted["too fast"])
    survey.settle("too_fast", 53)

    # A scale from the answers, laid on the battery at once; nothing is taken for something else yet
    browser.go(f"{survey.path}/codebook/{FIRST}")
    browser.act("tool-scale")
    browser.fill("Name of the scale", "agreement")
    browser.until(
        lambda: len(browser.all('[aria-label="How it fits"] li')) == 8, "how the scale fits the battery"
    )
    browser.choose("What “Don't know” is", "missing")
    for wording in TRANSLATED.values():
        browser.choose(f"What “{wording}” is", "other")
    for place, answer in enumerate(AGREE):
        while (at := _place(browser, answer)) > place:
            browser.act(f"up-{at}")
            browser.until(lambda answer=answer, at=at: _place(browser, answer) < at, f"{answer} to move up")
    browser.tick("Ordered: the answers have a direction")
    browser.choose("The answer in the middle", AGREE[2])
    survey.apply("apply-scale")
    browser.go(f"{survey.path}/codebook/{NAMES[HEADINGS.services[0]]}")
    browser.act("tool-scale")
    browser.fill("Name of the scale", "frequency")
    for place, answer in enumerate(OFTEN):
        while (at := _place(browser, answer)) > place:
            browser.act(f"up-{at}")
            browser.until(lambda answer=answer, at=at: _place(browser, answer) < at, f"{answer} to move up")
    browser.tick("Ordered: the answers have a direction")
    survey.apply("apply-scale")

    # A scale pasted as lines and laid on a question of numbers: a 9 typed for 99 is then no code
    browser.go(f"{survey.path}/codebook/-scales-")
    browser.act("new-scale")
    browser.fill("Name of the scale", "content")
    browser.fill(
        "Answers, one per line, in order", "1 Not at all\n2 A little\n3 Partly\n4 Mostly\n5 Very much"
    )
    browser.fill("Codes that mean no answer, one per line", "99 No answer")
    browser.tick("Ordered: the answers have a direction")
    survey.apply("save-scale")
    browser.act("lay-scale-content")
    browser.choose("Apply to", OFFICE)
    survey.apply("apply-scale")
    survey.compare("9 typed for 99", survey.found("not_in_codebook"), planted["9 for 99"])

    # Numbers: first as they are, so that what is not a valid formula is seen
    for variable in (AGE, SPEND):
        browser.go(f"{survey.path}/codebook/{variable}")
        browser.act("tool-number")
        browser.tick("Also read numbers written as words, such as thirty-four", on=False)
        survey.apply("apply-number")
    left = survey.findings("not_placed")
    survey.compare(
        "ages in words", survey.found("not_placed", lambda f: f["variable"] == AGE), planted["age in words"]
    )
    commas = survey.found("not_placed", lambda f: f["variable"] == SPEND)
    survey.compare("decimal commas", commas, planted["decimal comma"])
    worded = {NAMES[key] for key in (*STATEMENTS, *HEADINGS.services)}
    there = [f for f in left if f["variable"] in worded]
    labels = {*AGREE, *OFTEN, "Don't know"}
    folded = {label.lower(): label for label in labels}

    def spaced(f: dict[str, Any]) -> bool:
        return bool(f["value"] != " ".join(f["value"].split()))

    def cased(f: dict[str, Any]) -> bool:
        return f["value"] in folded and f["value"] not in labels

    for what, kind, wanted in (
        ("stray spaces", "stray spaces", spaced),
        ("letter case", "letter case", cased),
        ("misspelt", "misspelt", lambda f: f["value"] in MISSPELT),
        ("the translated form's wordings", "other wording", lambda f: f["value"] in TRANSLATED.values()),
    ):
        survey.compare(
            what,
            survey.found("not_placed", partial(_worded, worded, wanted)),
            planted[kind],
        )
    kinds = (spaced, cased, lambda f: f["value"] in MISSPELT, lambda f: f["value"] in TRANSLATED.values())
    assert [f for f in there if not any(kind(f) for kind in kinds)] == []

    # Likely meanings accepted by one key, the translated ones said; for the whole battery at once
    browser.go(f"{survey.path}/codebook/-several-")
    browser.tick(
        "All of: Thinking of the past twelve months, how far do you agree or disagree with this statement about the ferry"
    )
    browser.act("tool-scale")
    browser.until(
        lambda: len(browser.all('[aria-label="How it fits"] li')) == 8, "how the scale fits the battery"
    )
    browser.act("accept-likely")
    for label, wording in TRANSLATED.items():
        browser.choose(f"What “{wording}” means", f"={label}")
    survey.apply("apply-scale")
    browser.go(f"{survey.path}/codebook/-several-")
    browser.tick("All of: How often do you use these services between the isles")
    browser.act("tool-scale")
    browser.act("accept-likely")
    survey.apply("apply-scale")
    for variable, decimal in ((AGE, "."), (SPEND, ",")):
        browser.go(f"{survey.path}/codebook/{variable}")
        _read_again(browser, survey, variable, decimal)
    assert survey.findings("not_placed") == []

    # The 9s, from their finding; lines and gaps
    browser.go(f"{survey.path}/screening/not_in_codebook~9")
    browser.choose("All 5 such cells mean", "99")
    browser.act("fix-finding")
    browser.see("This finding is settled")
    lines = survey.found("straight_line", lambda f: f["variable"] == FIRST)
    survey.compare("straight-lining", lines, planted["straight line"], exact=False)
    survey.compare("stopped half way", survey.found("too_little"), planted["stopped half way"])
    browser.go(f"{survey.path}/screening/straight_line~{FIRST}~{FIRST}%20to%20{LAST}")
    browser.fill("Or accept, because", "a line is an answer too")
    browser.act("accept-finding")
    browser.see("Accepted: a line is an answer too")

    # Labelled: sex, tenure, schooling; who would not say keeps a code of their own
    for heading, scale in (
        (HEADINGS.sex, "sex"),
        (HEADINGS.tenure, "tenure"),
        (HEADINGS.school, "schooling"),
    ):
        browser.go(f"{survey.path}/codebook/{NAMES[heading]}")
        browser.act("tool-scale")
        browser.fill("Name of the scale", scale)
        if heading == HEADINGS.sex:
            browser.choose("What “Prefer not to say” is", "missing")
        survey.apply("apply-scale")
    unsaid = survey.entries(where=f"missing({NAMES[HEADINGS.sex]})")
    survey.compare("no answer to sex", unsaid, planted["no answer to sex"])

    # What is left is known and the journal says all of it
    browser.go(f"{survey.path}/screening/flow")
    browser.see("2,277")
    browser.act("ledger")
    for sentence in (
        "made by our own staff while trying the form",
        "the same respondent twice",
        "faster than anyone can read it",
    ):
        browser.see(sentence)
    print("\n" + "\n".join(survey.said))
    assert browser.errors() == []


def _read_again(browser: Browser, survey: Survey, variable: str, decimal: str) -> None:
    """Reads the rest of a column as numbers, words and commas too, by changing the entry that read it
    first."""
    ledger = httpx.get(f"{survey.calls}/ledger", timeout=30).json()
    at = next(e["step"] for e in ledger if e["do"] == "to_number" and variable in e["sentence"])
    browser.go(f"{survey.path}/codebook/{variable}?ledger=true")
    browser.act(f"edit-{at}")
    browser.tick("Also read numbers written as words")
    browser.choose("Decimal separator", decimal)
    browser.act(f"keep-entry-{at}")
    browser.until(lambda: not browser.all(f'[data-action="keep-entry-{at}"]'), "the entry to be kept")


def _place(browser: Browser, answer: str) -> int:
    label = f"Move up: {answer}"
    ups = browser.all('[data-action^="up-"]')
    return next(i for i, button in enumerate(ups) if button.get_attribute("aria-label") == label)
