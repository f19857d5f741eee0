"""The shell: keys, deep links, themes, and what newcomers do first."""

from pathlib import Path

import httpx
from demo_pages import compare_with_palette, visit
from pages import Browser
from selenium.webdriver.common.keys import Keys

from even_ballot.demo import FILES


def test_an_action_is_done_from_the_palette(browser: Browser, study: str) -> None:
    browser.driver.find_element("tag name", "body").send_keys(Keys.CONTROL, "k")
    browser.until(lambda: browser.all("[cmdk-input]"), "the palette")
    browser.driver.switch_to.active_element.send_keys("Go to Weighting", Keys.ENTER)
    browser.see("Distribution of the weights")


def test_keys_go_to_stations_unroll_the_ledger_and_show_codes(browser: Browser, study: str) -> None:
    body = browser.driver.find_element("tag name", "body")
    body.send_keys("2")
    browser.see("The questionnaire, as it was answered")
    browser.driver.find_element("tag name", "body").send_keys("l")
    browser.see("Set aside the cases where entry_status")
    browser.driver.find_element("tag name", "body").send_keys("?")
    browser.see("Questions as they were asked, with their answers")


def test_a_filter_and_a_switch_change_the_table_at_once(browser: Browser, study: str) -> None:
    visit(browser, study, "tables")
    browser.see("n = 2,268")
    browser.fill("Filter", "age >= 60", enter=True)
    browser.until(lambda: "n = 2,268" not in browser.text(), "the filtered table")
    browser.fill("Filter", "agee >= 60", enter=True)
    browser.see("There is no variable 'agee'")


def test_the_second_writer_of_a_stale_state_is_told_and_shown_the_newer_one(
    browser: Browser, study: str
) -> None:
    browser.go(f"{study}/weighting/begin")
    browser.see("Final weights add up to")
    address = f"{browser.address}/api/v1/studies/{study.split('/')[2]}"
    state = httpx.get(address).json()
    weighting = {**state["document"]["weightings"][0], "base": None}
    httpx.patch(
        address, json={"edition": state["edition"], "parts": {"weightings": [weighting]}}
    ).raise_for_status()
    browser.choose("Final weights add up to", "cases")
    browser.see("This study has changed since you opened it")
    browser.see("from 1 for every case")
    # Made of the newer state, it keeps what was changed there.
    browser.go_the_way("Apply my change to the latest version")
    browser.saved()
    now = httpx.get(address).json()["document"]["weightings"][0]
    assert (now["base"], now["scale_to"]) == (None, "cases")


def test_a_deleted_study_can_be_brought_back_at_once(browser: Browser, study: str) -> None:
    browser.go("/")
    browser.act(f"delete-{study.split('/')[2]}")
    browser.see("was deleted.")
    browser.go_the_way("Restore it")
    browser.follow("Veldry Isles ferry survey")


def test_a_file_that_cannot_be_read_is_said_next_to_where_it_was_dropped(
    browser: Browser, tmp_path: Path
) -> None:
    ragged = tmp_path / "ragged.csv"
    ragged.write_text("a,b\n1,2\n1\n")
    browser.go("/")
    browser.give_file("choose-file", ragged)
    browser.see("1 record does not have the 2 fields of the heading")
    browser.see("at ragged.csv, line 3")


def test_a_rule_is_tried_added_and_its_breakers_found(browser: Browser, study: str) -> None:
    browser.go(f"{study}/screening")
    browser.act("open-rules")
    browser.fill("What must hold", "household >= 2 or age < 90")
    browser.see("Broken by")
    browser.fill("Name", "the very old do not live alone")
    compare_with_palette(browser)
    browser.act("add-rule")
    browser.see("Rules broken")
    browser.follow("the very old do not live alone")
    browser.fill("Or accept, because", "some do")
    browser.act("accept-finding")
    browser.see("Accepted: some do.")


def test_a_cut_off_is_moved(browser: Browser, study: str) -> None:
    browser.go(f"{study}/screening/too_fast")
    browser.fill("Cut-off (seconds)", "240", enter=True)
    browser.see("under 240 seconds")
    browser.fill("Cut-off (seconds)", "20", enter=True)
    browser.see("No case is below the cut-off")


def test_several_answers_in_a_cell_become_a_question_with_both_percentages(
    browser: Browser, study: str
) -> None:
    browser.go(f"{study}/codebook/reasons")
    browser.act("tool-split")
    browser.see("Family and friends (")
    browser.fill("Name of the new question", "crosses_for")
    browser.act("apply-split")
    browser.until(lambda: not browser.all('[data-action="apply-split"]'), "the answers to be taken apart")
    browser.go(f"{study}/tables")
    browser.act("new-table")
    browser.choose("Stub (down)", "crosses_for")
    browser.unfold("figures")
    browser.tick("% of responses")
    browser.until(
        lambda: "% of responses" in browser.all("tbody")[0].text, "per cent of responses in the table"
    )
    assert "% of cases" in browser.all("tbody")[0].text
    browser.see("Family and friends")


def test_a_newer_file_is_looked_at_rev_down_and_taken_over(browser: Browser, study: str) -> None:
    browser.give_file("bring-newer", FILES / "answers-second-delivery.xlsx")
    browser.see("7 cases have no value on tenure")
    browser.see("How did you hear of this survey?")
    browser.see("“Tied to the job” (7)")
    compare_with_palette(browser)
    browser.act("refuse-newer")
    browser.see("2,330 received")
    browser.give_file("bring-newer", FILES / "answers-second-delivery.xlsx")
    browser.act("take-newer")
    browser.see("2,510 received")
    browser.act("undo")
    browser.see("2,330 received")


def test_a_changed_target_shows_its_effect_and_a_wrong_one_is_said_in_place(
    browser: Browser, study: str
) -> None:
    visit(browser, study, "weighting")
    before = browser.text()
    browser.fill("Target of Woman, 18 to 34", "9410", enter=True)
    browser.see("63,300")
    browser.see("describe one population")
    browser.fill("Target of Woman, 18 to 34", "7410", enter=True)
    browser.until(lambda: "describe one population" not in browser.text(), "the margins to agree again")
    browser.see("61,300")
    browser.fill("Target of Woman, 18 to 34", "many", enter=True)
    assert browser.field("Target of Woman, 18 to 34").get_attribute("aria-invalid") == "true"
    assert "12.1" in before


def test_a_margin_is_in_shares_and_its_sum_says_what_is_missing(browser: Browser, study: str) -> None:
    browser.go(f"{study}/weighting/margin-1")
    browser.see("Hask")
    browser.choose("Targets are", "percent")
    browser.see("too much")
    for isle, share in (("Hask", 37), ("Orran", 28), ("Tolvey", 21), ("Brim", 10)):
        browser.fill(f"Target of {isle}", str(share), enter=True)
    browser.see("4.00 short of the total")
    browser.fill("Target of Brim", "14", enter=True)
    browser.until(lambda: "short of the total" not in browser.text(), "the sum to be right")
    browser.see("margins met")


def test_every_state_has_an_address_and_an_address_that_leads_nowhere_says_so(
    browser: Browser, study: str
) -> None:
    for path, text in (
        ("codebook/nobody", "There is no variable nobody"),
        ("tables/nothing", "There is no such table"),
        ("screening/gone", "This finding is settled"),
        ("intake/nothing", "There is no file nothing"),
        ("weighting/margin-9", "There is no such margin"),
    ):
        browser.go(f"{study}/{path}")
        browser.see(text)
    browser.go("/study/0000000000000000/intake")
    browser.see("There is no such study")
    browser.go("/nowhere/at/all")
    browser.see("There is no such page")


def test_arrow_keys_go_through_a_list(browser: Browser, study: str) -> None:
    browser.go(f"{study}/tables/need")
    browser.see("Base (unweighted)")
    first = browser.until(lambda: browser.all('a[href$="/tables/need"]')[0], "the table in the plan")
    browser.driver.execute_script("arguments[0].focus()", first)
    browser.driver.switch_to.active_element.send_keys(Keys.ARROW_DOWN)
    browser.until(lambda: browser.driver.current_url.endswith("/tables/crossing"), "the next table")
    browser.see("Every week")


def test_the_title_of_a_study_is_changed_in_place_and_undone_by_its_key(browser: Browser, study: str) -> None:
    browser.fill("Title of the study", "Another title", enter=True)
    browser.until(
        lambda: "Changed the title" in str(browser.all('[data-action="undo"]')[0].get_attribute("title")),
        "the change",
    )
    browser.driver.find_element("tag name", "body").send_keys(Keys.CONTROL, "z")
    browser.until(
        lambda: browser.field("Title of the study").get_attribute("value") == "Veldry Isles ferry survey",
        "the title before",
    )


def test_a_file_is_dropped(browser: Browser, study: str) -> None:
    browser.go("/")
    browser.see("Drop a file of answers here")
    browser.driver.execute_script(
        "const t = new DataTransfer(); t.items.add(new File(['age,sex\\n30,1\\n'], 'dropped.csv'));"
        "document.querySelector('[aria-label=\"Drop a file\"]').dispatchEvent(new DragEvent('drop', {bubbles: true, cancelable: true, dataTransfer: t}))"
    )
    browser.see("nothing has been imported yet")
    browser.see("dropped.csv")
