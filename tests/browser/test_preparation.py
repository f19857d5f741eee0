"""Preparation as a person does it: the grid, steps seen before they are taken, scales, the ledger opened
and changed."""

import json
import re
from pathlib import Path
from typing import Any

import httpx
from pages import Browser
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.keys import Keys

from even_ballot.demo import FILES


def grid(browser: Browser) -> Any:
    """The grid once its cells have come."""

    def there() -> Any:
        found = browser.all('[data-testid="grid"]')[0]
        return found if browser.all('[role="gridcell"]') and "…" not in found.text else None

    return browser.until(there, "the cells of the grid")


def cell(browser: Browser, row: int, column: str) -> Any:
    """The cell of a row (from 0) that is in sight, under a heading."""
    heads = browser.all('[role="columnheader"]')
    at = next(h.get_attribute("aria-colindex") for h in heads if h.text.strip("↑↓ ") == column)
    return browser.until(
        lambda: browser.all(
            f'[role="row"][aria-rowindex="{row + 2}"] [role="gridcell"][aria-colindex="{at}"]'
        )[0],
        column,
    )


def in_hand(browser: Browser) -> str:
    return str(browser.until(lambda: browser.all('[aria-label="Selected cell"] p')[0].text, "a cell in hand"))


def tally(browser: Browser) -> str:
    return str(browser.all('[data-testid="tally"]')[0].text)


def test_the_grid_is_walked_by_keys_sorted_and_narrowed(browser: Browser, study: str) -> None:
    browser.go(f"{study}/screening/cells")
    browser.see("2,268 cases")
    grid(browser)
    cell(browser, 0, "Entry").click()
    assert "Entry of V15-1764" in in_hand(browser)
    browser.driver.switch_to.active_element.send_keys(Keys.ARROW_DOWN, Keys.ARROW_RIGHT)
    browser.until(lambda: "started of V71-2568" in in_hand(browser), "the cell below and beside")
    grid(browser).send_keys(Keys.CONTROL, Keys.END)
    browser.until(
        lambda: "why_cross_6 of" in in_hand(browser) and "answered" in in_hand(browser),
        "the last cell of all",
    )
    assert int(browser.all('[role="row"]')[-1].get_attribute("aria-rowindex") or 0) == 2269
    grid(browser).send_keys(Keys.CONTROL, Keys.HOME)
    browser.until(lambda: "Entry of V15-1764" in in_hand(browser), "the first cell of all")
    browser.all('[role="columnheader"] button')[0].click()
    browser.see(", by Entry")
    browser.until(lambda: cell(browser, 0, "Entry").text == "1002", "the smallest first")
    browser.all('[role="columnheader"] button')[0].click()
    browser.see("by Entry downwards")
    browser.until(lambda: cell(browser, 0, "Entry").text == "3295", "the largest first")
    browser.fill("Only cases where", "sex == 'Man' and age > 80")
    browser.until(lambda: re.search(r"\n\d+ of 2,268 cases", browser.text()), "fewer cases")
    browser.fill("Only cases where", "sex == 'Men'")
    browser.see("'Men' is not a label of this scale")
    address = browser.driver.current_url
    assert "sort=Entry" in address and "down=true" in address
    browser.driver.get(address)
    browser.see("is not a label of this scale")


def test_a_cell_is_changed_in_the_grid_one_alone_and_all_alike(browser: Browser, study: str) -> None:
    browser.go(f"{study}/screening/cells?where=tenure%20%3D%3D%203&sort=Entry")
    browser.see("165 of 2,268 cases")
    grid(browser).send_keys(Keys.ARROW_DOWN)
    for _ in range(60):
        if in_hand(browser).startswith("tenure of"):
            break
        before = in_hand(browser)
        grid(browser).send_keys(Keys.ARROW_RIGHT)
        browser.until(lambda before=before: in_hand(browser) != before, "the next cell")
    browser.see("3 Some other way, answered")
    grid(browser).send_keys(Keys.ENTER)
    assert browser.driver.switch_to.active_element == browser.field("Change to")
    browser.choose("Change to", "2")
    browser.see("Change all 165 cells with this value")
    browser.fill("Reason", "a slip of the pen")
    browser.act("set-cell")
    browser.see("164 of 2,268 cases")
    browser.act("undo")
    browser.see("165 of 2,268 cases")
    cell(browser, 3, "tenure").click()
    browser.choose("Change to", "2")
    browser.act("set-alike")
    browser.see("0 of 2,268 cases")
    browser.act("ledger")
    browser.see("Recode tenure: 3 → 2")


def test_a_case_is_set_aside_listed_and_taken_back(browser: Browser, study: str) -> None:
    browser.go(f"{study}/screening/cells?where=row%20%3D%3D%20100")
    browser.see("1 of 2,268 cases")
    grid(browser)
    cell(browser, 0, "started").click()
    browser.act("set-case-aside")
    browser.until(lambda: "63 set aside" in tally(browser), "one more set aside")
    browser.follow("63")
    browser.see("Set aside the cases where row == 100")
    browser.act("list-aside-4")
    browser.see("Cases set aside by entry 4")
    browser.see("18 cases")
    grid(browser)
    cell(browser, 0, "Entry").click()
    browser.act("take-case-back")
    browser.until(lambda: "62 set aside" in tally(browser), "the case to be taken back")
    browser.see("17 cases")
    browser.go(f"{study}/screening/flow")
    browser.act("take-back-4")
    browser.until(lambda: "45 set aside" in tally(browser), "the hasty ones taken back")


def test_a_finding_opens_its_cells_with_its_own_question_first(browser: Browser, study: str) -> None:
    browser.go(f"{study}/screening")
    browser.follow("fare_spend")
    browser.see("50 of 2,268 cases")
    grid(browser)
    heads = [h.text for h in browser.all('[role="columnheader"]')]
    assert heads[:2] == ["code_letter", "fare_spend"]
    browser.act("make-rule")
    assert str(browser.field("What must hold").get_attribute("value")).startswith("fare_spend <= ")
    browser.see("Broken by")


def test_what_was_left_out_over_a_run_that_is_chosen(browser: Browser, study: str) -> None:
    browser.go(f"{study}/screening/left-out")
    browser.see("Question by question")
    browser.choose("From question", "ferry_runs_need")
    browser.choose("to question", "ferry_keeps_isles")
    browser.see("0 of 8")
    browser.act("check-this-run")
    browser.until(
        lambda: "Changed the screening" in str(browser.all('[data-action="undo"]')[0].get_attribute("title")),
        "the run kept",
    )


def test_a_wrong_recode_is_seen_before_it_is_taken(browser: Browser, study: str) -> None:
    browser.go(f"{study}/codebook/tenure")
    browser.act("tool-collapse")
    browser.fill("Category 1", "Owned")
    browser.fill("Category 2", "Rented or other")
    browser.choose("Where “Owned by someone in the household” goes", "0")
    browser.choose("Where “Rented” goes", "1")
    browser.until(
        lambda: "3 Some other way\nblank" in browser.text() or "3 Some other way blank" in browser.text(),
        "what falls to blank",
    )
    browser.choose("Where “Some other way” goes", "1")
    browser.until(lambda: "3 Some other way 2 Rented or other 165" in browser.text(), "old and new")
    browser.act("apply-collapse")
    browser.until(lambda: not browser.all('[data-action="apply-collapse"]'), "it to be made")
    browser.follow("tenure_groups")
    browser.see("made by entry 22 of the ledger")


def test_turning_round_twice_is_asked_for(browser: Browser, study: str) -> None:
    browser.go(f"{study}/codebook/boats_too_crowded_rev")
    browser.act("tool-reverse")
    browser.fill("Suffix of the new variable’s name", "_again")
    browser.see("has been reversed already")
    assert not browser.all('[data-action="apply-reverse"]')[0].is_enabled()
    browser.tick("It has been reversed already: reverse it once more")
    browser.until(lambda: browser.all('[data-action="apply-reverse"]')[0].is_enabled(), "it to be allowed")


def test_several_questions_at_once_make_a_score(browser: Browser, study: str) -> None:
    browser.go(f"{study}/codebook/-several-")
    browser.tick("ferry_runs_need")
    browser.tick("can_rely_timetable")
    browser.tick("feel_safe_crossing")
    browser.see("3 questions at once")
    browser.act("tool-score")
    browser.fill("Name of the new variable", "trust")
    browser.fill("Minimum number of items answered", "2")
    browser.see("Score trust: the mean of ferry_runs_need, can_rely_timetable, feel_safe_crossing")
    browser.act("apply-score")
    browser.until(lambda: not browser.all('[data-action="apply-score"]'), "the score")
    browser.act("tool-about")
    browser.choose("Level of measurement", "interval")
    browser.act("apply-about")
    browser.until(lambda: not browser.all('[data-action="apply-about"]'), "what is said to be kept")
    browser.go(f"{study}/codebook/can_rely_timetable")
    browser.see("can_rely_timetable, coded, interval")


def test_a_formula_is_completed_and_its_fault_points_at_the_character(browser: Browser, study: str) -> None:
    browser.go(f"{study}/codebook/-new-")
    browser.fill("Name", "older")
    browser.fill("Formula", "pic")
    browser.until(lambda: browser.all('[role="option"]'), "names to be offered")
    browser.driver.switch_to.active_element.send_keys(Keys.ENTER)
    browser.until(lambda: browser.field("Formula").get_attribute("value") == "pick(", "the name to be taken")
    browser.driver.switch_to.active_element.send_keys("agee >= 65, 1, 2)")
    browser.see("There is no variable 'agee', at character 6. Did you mean age?")
    assert browser.all("mark")[0].text == "a"
    browser.fill("Formula", "pick(age >= 65, 1, 2)")
    browser.driver.switch_to.active_element.send_keys(Keys.ESCAPE)
    browser.see("Create older = pick(age >= 65, 1, 2).")
    browser.act("apply-derive")
    browser.see("older, number")


def test_a_scale_is_pasted_copied_varied_and_not_laid_over_another_meaning(
    browser: Browser, study: str
) -> None:
    browser.go(f"{study}/codebook/-scales-")
    browser.see("Used by 8 questions, in 17,404 cells")
    browser.act("copy-scale-frequency")
    browser.fill("Name of the scale", "often")
    browser.fill(
        "Answers, one per line, in order", "1 Every week\n2 Every month\n3 A few times a year\n4 Never"
    )
    browser.see("Reads as 4 answers: 1 Every week")
    browser.act("save-scale")
    browser.see("Used by no question")
    browser.act("lay-scale-often")
    browser.choose("Apply to", "mail_boat")
    browser.see("Its codes run the other way: reverse the question instead.")
    assert not browser.all('[data-action="apply-scale"]')[0].is_enabled()


def test_an_entry_is_opened_changed_and_warns_of_what_would_stop(browser: Browser, study: str) -> None:
    browser.go(f"{study}/screening/flow?ledger=true")
    browser.act("open-13")
    browser.see("harbour_office, before and after")
    browser.act("edit-4")
    browser.fill("Where", "seconds < 300")
    browser.until(
        lambda: re.search(r"[2-9]\d\d cases of 2,316 set aside", browser.text()),
        "how many would be set aside",
    )
    browser.act("keep-entry-4")
    browser.until(lambda: " 62 set aside" not in tally(browser), "the entry to be kept")
    browser.act("edit-3")
    browser.fill("Name of the new variable", "duration")
    browser.see("could then not be applied. There is no variable 'seconds'")
    browser.act("leave-entry-3")


def test_the_codebook_goes_out_and_comes_in(browser: Browser, study: str) -> None:
    browser.go(f"{study}/codebook")
    browser.act("codebook-json")
    path = browser.downloaded("*codebook.json")
    document = json.loads(path.read_text())
    field = next(f for f in document["fields"] if f["name"] == "tenure")
    field["title"] = "How do you hold the home you live in?"
    path.with_name("changed.json").write_text(json.dumps(document))
    browser.give_file("lay-codebook", path.with_name("changed.json"))
    browser.see("tenure: question")
    browser.go(f"{study}/codebook/tenure")
    browser.see("How do you hold the home you live in?")


def test_columns_of_one_question_are_proposed_and_made_one(
    browser: Browser, study: str, tmp_path: Path
) -> None:
    stem = "Why do you cross to another isle? Tick all that apply"
    lines = [
        f'id,"{stem} [Work]","{stem} [Shopping]","{stem} [Leisure]"',
        *(f"{k},{k % 2},{k % 3 == 0:d},0" for k in range(12)),
        "13,1,1,1",
    ]
    (tmp_path / "ticks.csv").write_text("\n".join(lines))
    browser.go("/")
    browser.give_file("choose-file", tmp_path / "ticks.csv")
    browser.see("nothing has been imported yet")
    browser.act("import-plain")
    browser.see("3 columns, work to leisure, look like one multiple-response question")
    browser.fill(f"Name of the question {stem}", "reasons")
    button = browser.until(lambda: browser.all('[data-action^="take-several"]')[0], "the proposal")
    button.click()
    browser.until(lambda: not browser.all('[data-action^="take-several"]'), "it to be taken")
    browser.follow("reasons")
    browser.see("reasons, multi")
    browser.see("Shopping")


def test_many_questions_are_coded_at_once_as_they_were_drafted(
    browser: Browser, study: str, tmp_path: Path
) -> None:
    rows = "".join(f"{k},{('Never', 'Often', 'Always')[k % 3]},{('Tern', 'Auk')[k % 2]}\n" for k in range(60))
    (tmp_path / "plain.csv").write_text("id,often,boat\n" + rows)
    browser.go("/")
    browser.give_file("choose-file", tmp_path / "plain.csv")
    browser.see("nothing has been imported yet")
    browser.act("import-plain")
    browser.see("3 variables, 0 coded")
    here = browser.driver.current_url.removeprefix(browser.address).split("/codebook")[0]
    browser.go(f"{here}/codebook/-several-")
    browser.tick("often")
    browser.tick("boat")
    browser.act("tool-drafted")
    browser.see("Never · Often · Always")
    browser.act("take-drafted")
    browser.see("3 variables, 2 coded")
    browser.see("Ledger, 2 entries")


def test_a_newer_file_extends_the_answers(browser: Browser, study: str) -> None:
    browser.give_file("bring-newer", FILES / "answers-second-delivery.xlsx")
    browser.see("“Tied to the job” (7)")
    browser.driver.find_element(
        "xpath", '//label[contains(., "Add its records to the existing answers")]'
    ).click()
    browser.see("already in the study (same identifier)")
    browser.see("Answers given more or less often")
    browser.act("take-newer")
    browser.see("2,510 received")


def test_an_upload_can_be_stopped(browser: Browser, study: str, tmp_path: Path) -> None:
    rows = "\n".join(f"{k},{k * 7},some words {k},others {k * 3}" for k in range(600_000))
    (tmp_path / "large.csv").write_text("a,b,c,d\n" + rows)
    browser.go("/")
    browser.give_file("choose-file", tmp_path / "large.csv")
    browser.act("stop-upload")
    browser.see("Stopped. Nothing was imported.")
    browser.driver.refresh()
    browser.see("Veldry Isles ferry survey")
    assert "large" not in browser.text()


def test_labels_and_codes_by_one_key_in_the_grid_too(browser: Browser, study: str) -> None:
    browser.go(f"{study}/screening/cells?where=row%20%3C%2040")
    grid(browser)
    browser.driver.execute_script("document.querySelector('[data-testid=grid]').scrollLeft = 1000")
    browser.until(lambda: "Man" in grid(browser).text, "labels")
    browser.driver.execute_script("document.activeElement.blur()")
    ActionChains(browser.driver).send_keys("c").perform()
    browser.until(lambda: "Man" not in grid(browser).text, "codes")


def test_a_scale_in_use_is_not_relabelled_by_accident(browser: Browser, study: str) -> None:
    browser.go(f"{study}/codebook/-scales-")
    browser.act("edit-scale-tenure")
    browser.fill("Answers, one per line, in order", "1 Owned\n2 Rented\n3 Some other way")
    browser.see("Code 1 says “Owned by someone in the household” now and would say “Owned”.")
    assert not browser.all('[data-action="save-scale"]')[0].is_enabled()
    browser.tick("It is the same answer in other words")
    browser.act("save-scale")
    browser.until(lambda: not browser.all('[data-action="save-scale"]'), "the scale to be kept")
    browser.go(f"{study}/codebook/tenure")
    browser.see("1 Owned")
    browser.see("2,268 answered, 0 blank; 3 distinct answers")


def test_two_windows_on_one_study_the_second_is_told_and_loses_nothing(browser: Browser, study: str) -> None:
    browser.go(f"{study}/screening")
    browser.fill("Where this is true", "age > 90")
    browser.see("cases match.")
    browser.fill("Reason", "typed for a while")
    # What the other window sends; a real one would take the focus, and this one would look again when it gets
    # it back.
    address = f"{browser.address}/api/v1/studies/{study.split('/')[2]}"
    edition = httpx.get(address).json()["edition"]
    httpx.patch(
        address, json={"edition": edition, "parts": {"title": "Changed elsewhere"}}
    ).raise_for_status()
    browser.act("set-aside")
    browser.see("This study has changed since you opened it.")
    assert browser.field("Where this is true").get_attribute("value") == "age > 90"
    assert browser.field("Reason").get_attribute("value") == "typed for a while"
    browser.until(
        lambda: browser.field("Title of the study").get_attribute("value") == "Changed elsewhere",
        "the newer state",
    )
    browser.act("set-aside")
    browser.until(
        lambda: browser.field("Where this is true").get_attribute("value") == "", "the cases to be set aside"
    )
