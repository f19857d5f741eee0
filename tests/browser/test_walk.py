"""The whole job in the interface: from the raw file to a released table."""

import csv
import time

import openpyxl
import pytest
from pages import Browser

from even_ballot.demo import FILES
from even_ballot.demo.form import AGREE, SCHOOLING, TRANSLATED
from even_ballot.demo.isles import margins


def accept_likely(browser: Browser) -> None:
    """Accepts likely meanings as long as there are any; how the scale fits is asked anew after each change."""
    quiet = time.monotonic() + 1
    while time.monotonic() < quiet:
        if browser.all('[data-action="accept-likely"]:not([disabled])'):
            browser.act("accept-likely")
            quiet = time.monotonic() + 1
        time.sleep(0.05)


def make_scale(
    browser: Browser,
    variable: str,
    name: str,
    order: tuple[str, ...] = (),
    means: dict[str, str] | None = None,
) -> None:
    """A scale from a question's answers: what wordings mean, the answers in order, laid on all that were
    answered alike."""
    browser.fill("Search names and questions", variable)
    browser.follow(variable)
    browser.act("tool-scale")
    browser.fill("Name of the scale", name)
    browser.until(lambda: browser.all('[aria-label="How it fits"] li'), "how the scale fits")
    for wording, meaning in (means or {}).items():
        own = browser.all(f'[aria-label="What “{wording}” is"]')
        browser.choose(f"What “{wording}” {'is' if own else 'means'}", meaning)
    accept_likely(browser)
    for place, answer in enumerate(order):
        while (at := position(browser, answer)) > place:
            browser.act(f"up-{at}")
            browser.until(lambda answer=answer, at=at: position(browser, answer) < at, f"{answer} to move up")
    if order:
        browser.tick("Ordered: the answers have a direction")
    accept_likely(browser)
    browser.settle()
    browser.act("apply-scale")
    browser.until(lambda: not browser.all('[data-action="apply-scale"]'), "the scale to be laid")


def position(browser: Browser, answer: str) -> int:
    label = f"Move up: {answer}"
    ups = browser.all('[data-action^="up-"]')
    return next(i for i, button in enumerate(ups) if button.get_attribute("aria-label") == label)


def set_aside(browser: Browser, where: str, why: str) -> None:
    browser.act("open-set-aside")
    browser.fill("Where this is true", where)
    browser.see("cases match.")
    browser.fill("Reason", why)
    browser.act("set-aside")
    browser.until(
        lambda: browser.field("Where this is true").get_attribute("value") == "", "the cases to be set aside"
    )


def margin(browser: Browser, variables: list[str], targets: dict[str, int]) -> None:
    browser.act("new-margin")
    for variable in variables:
        browser.choose("Variables; several are crossed", variable)
    browser.unfold_list("Paste targets, or read them from a file")
    browser.fill(
        "Paste or type targets, one per line",
        "\n".join(f"{label}  {people}" for label, people in reversed(targets.items())),
    )
    browser.see(f"{len(targets)} lines matched")
    browser.act("take-targets")
    browser.see(f"{len(targets)} targets, in counts")
    browser.saved()


def test_from_the_raw_file_to_a_released_table(browser: Browser) -> None:
    # Intake
    browser.go("/")
    browser.give_file("choose-file", FILES / "answers.csv")
    browser.see("nothing has been imported yet")
    browser.see("40 blank records skipped")
    browser.fill("Title of the study", "Ferry, from the beginning")
    browser.act("import-plain")
    browser.see("The questionnaire, as it was answered")

    # Codebook: scales, laid on several questions at once
    same = {other: f"={label}" for label, other in TRANSLATED.items()}
    make_scale(browser, "ferry_runs_need", "agreement", AGREE, {"Don't know": "missing", **same})
    make_scale(browser, "woman_man", "sex", (), {"Prefer not to say": "missing"})
    make_scale(browser, "home_live_owned", "tenure")
    make_scale(browser, "highest_school", "schooling", SCHOOLING)
    browser.fill("Search names and questions", "ferry_runs_need")
    browser.follow("ferry_runs_need")
    browser.see("also used by")
    assert "Strongly agree" in browser.text()
    browser.act("codes")
    browser.until(
        lambda: "Strongly agree" not in browser.driver.find_element("css selector", "main").text,
        "codes in place of labels",
    )
    browser.act("codes")

    # Screening: staff tests and those the margins do not know
    browser.follow("Screening")
    set_aside(browser, "entry_status == 'Staff test'", "made by our own staff")
    browser.see("14 set aside")
    set_aside(browser, "missing(woman_man)", "the margins know no third answer")

    # Ledger: switched off and on, undone and redone
    browser.act("ledger")
    browser.see("Set aside the cases where entry_status == 'Staff test'; reason: made by our own staff.")
    browser.act("switch-5")
    browser.see("switched off")
    browser.act("undo")
    browser.see("14 cases set aside")
    browser.act("ledger")

    # Codebook: turn round, numbers, bands, tidying
    browser.follow("Codebook")
    browser.fill("Search names and questions", "crossing_costs")
    browser.follow("crossing_costs")
    browser.act("tool-reverse")
    browser.act("apply-reverse")
    browser.see("crossing_costs_more_than_rev")
    browser.fill("Search names and questions", "old_whole")
    browser.follow("old_whole")
    browser.act("tool-number")
    browser.act("apply-number")
    browser.act("tool-band")
    browser.fill("Name of the new variable", "age_band")
    browser.fill("Label", "Age")
    browser.fill("Where each band begins", "18, 35, 60")
    browser.see("from 35 to under 60")
    browser.act("apply-band")
    browser.fill("Search names and questions", "landing_district")
    browser.follow("landing_district")
    browser.act("tool-tidy")
    browser.choose("Letter case", "upper")
    browser.act("apply-tidy")
    browser.until(lambda: not browser.all('[data-action="apply-tidy"]'), "the spacing to be tidied")

    # Intake again: the frame, looked up
    browser.follow("Intake")
    browser.give_file("bring-lookup", FILES / "frame.csv")
    browser.see("as frame; 150 records")
    browser.follow("frame.csv")
    browser.choose("Key column in the file", "district")
    browser.choose("is the same as this variable", "landing_district_five")
    browser.act("look-up")
    browser.see("All its columns have been taken already")

    # Weighting and design
    browser.follow("Weighting")
    browser.follow("Base weight, groups, scale")
    browser.choose("Base weight", "column")
    browser.choose("Variable", "base_weight")
    browser.see("from base_weight")
    tables = margins()
    margin(browser, ["woman_man", "age_band"], tables["sex by age"])
    margin(browser, ["home_live_owned_rented"], tables["tenure"])
    margin(browser, ["highest_school_finished"], tables["schooling"])
    browser.follow("Base weight, groups, scale")
    browser.choose("Final weights add up to", "population")
    browser.see("margins met")
    browser.see("weighted to 61,300")
    browser.follow("Strata, clusters, standard errors")
    browser.choose("Strata", "stratum")
    browser.choose("Clusters (first-stage units)", "landing_district_five")
    browser.choose("Population size (for the fpc)", "districts_in_stratum")
    browser.see("8 strata, 150 first-stage units, 142 degrees of freedom")

    # Tables
    browser.follow("Tables")
    browser.act("new-table")
    browser.see("Choose the stub")
    browser.choose("Stub (down)", "ferry_runs_need")
    browser.choose("Banner (across)", "age_band")
    browser.see("60 and over")
    browser.fill("Title of the table", "The ferry runs when I need it, by age", enter=True)
    browser.see("Base (unweighted)")
    browser.until(lambda: browser.all("tbody td button:not([disabled])")[0], "a figure").click()
    browser.see("Design effect")
    shown = [
        cell.text.split("\n")[0] for cell in browser.all("tbody tr")[1].find_elements("css selector", "td")
    ]

    # Release
    browser.follow("Release")
    browser.see("142 degrees of freedom")
    browser.act("release-files")
    browser.act("save-tables.xlsx")
    browser.act("save-microdata.csv")
    book = openpyxl.load_workbook(browser.downloaded("*tables.xlsx"))
    sheet = book.worksheets[1]
    assert sheet["A1"].value == "The ferry runs when I need it, by age"
    released = next(row for row in sheet.iter_rows(min_row=4) if row[0].value == "Strongly disagree")
    assert [f"{c.value:.1f}" for c in released[2:6]] == shown
    with browser.downloaded("*microdata.csv").open(newline="") as file:
        records = list(csv.DictReader(file))
    assert list(records[0])[-1] == "weight"
    assert sum(float(record["weight"]) for record in records) == pytest.approx(61_300)
    assert browser.errors() == []
