"""Tables as a statistician builds them: a battery with its picture, several answers, a nested banner with
letters, a domain."""

import re
import threading
import zipfile
from pathlib import Path
from typing import Any

import pytest
from pages import Browser
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from even_ballot.core.study import graph
from even_ballot.core.tables import tabulate

ITEMS = ("ferry_keeps_isles", "feel_safe_crossing", "getting_off_easy")


def fresh(browser: Browser, study: str, stub: str) -> None:
    """A new table of one stub variable."""
    browser.go(f"{study}/tables")
    before = browser.until(lambda: len(browser.all('a[href*="/tables/"]')), "the plan")
    browser.act("new-table")
    browser.until(lambda: len(browser.all('a[href*="/tables/"]')) > before, "the new table in the plan")
    browser.until(
        lambda: browser.field("Title of the table").get_attribute("value") == "New table",
        "the new table in hand",
    )
    browser.choose("Stub (down)", stub)
    browser.until(lambda: browser.all(f'[data-action="stub-without-{stub}"]'), "the stub asked for")
    for _ in browser.all('[data-action^="banner-without-"]'):
        chip = browser.until(
            lambda: browser.all('[data-action^="banner-without-"]')[0].get_attribute("data-action"), "a chip"
        )
        browser.act(str(chip))
        browser.until(lambda chip=chip: not browser.all(f'[data-action="{chip}"]'), "the usual banner to go")


def a_battery_has_items_down_and_a_picture_around_its_middle(browser: Browser, study: str) -> None:
    fresh(browser, study, "ferry_runs_need")
    for item in ITEMS:
        browser.choose("Stub (down)", item)
        browser.until(lambda item=item: browser.all(f'[data-action="stub-without-{item}"]'), item)
    browser.unfold("figures")
    # At once, faster than the first of them is saved: none is lost.
    boxes = [browser.field(figure) for figure in ("mean", "sd")]
    browser.driver.execute_script("arguments[0].forEach((box) => box.click())", boxes)
    browser.see("Mean")
    browser.see("Standard deviation")
    browser.fill("Another quantile (%)", "90", enter=True)
    browser.see("90 % quantile")
    browser.tick("quantile 90 %", on=False)
    browser.until(lambda: "quantile 90 %" not in browser.text().casefold(), "the quantile to go")
    browser.choose("Layout", "battery")
    browser.see("Standard deviation")
    browser.see("Getting on and off is easy")
    browser.fill("Name of the net", "Agree in all")
    browser.act("add-net")
    browser.see("Agree in all")
    assert "2,205" in browser.text()
    browser.act("show-picture")
    browser.until(lambda: len(browser.all("figure svg[role=img]")) == 1, "one picture of all items")
    assert len(browser.all("figure svg[role=img] rect")) > 4 * 5, "a bar for every answer of every item"
    browser.choose("Kind of chart", "dots")
    browser.until(
        lambda: len(browser.all("figure svg[role=img] circle")) == 4 * 5,
        "a dot for every answer of every item",
    )
    browser.choose("Kind of chart", "diverging")
    for kind, begins in (("svg", b"<svg"), ("png", b"\x89PNG"), ("pdf", b"%PDF")):
        browser.act(str(browser.all(f'figure [data-action^="{kind}-"]')[0].get_attribute("data-action")))
        assert browser.downloaded(f"*.{kind}").read_bytes().startswith(begins)
    browser.act("each-item")
    browser.until(lambda: len(browser.all("figure svg[role=img]")) == 4, "a picture for each item")
    browser.act("all-pdf")
    with zipfile.ZipFile(browser.downloaded("*.zip")) as inside:
        assert len(inside.namelist()) == 4
        assert all(inside.read(name).startswith(b"%PDF") for name in inside.namelist())
    browser.act("show-picture")
    browser.until(lambda: browser.all("thead button"), "headings to sort by")
    heading = next(b for b in browser.all("thead button") if b.text == "Agree in all")
    heading.click()
    browser.until(lambda: "↓" in browser.all("thead")[0].text, "items in order")
    browser.until(lambda: not browser.all("[data-stale]"), "them to be as asked for")
    place = next(k for k, h in enumerate(browser.all("thead th")) if "↓" in h.text)
    rows = [row.find_elements(By.CSS_SELECTOR, "th, td") for row in browser.all("tbody tr")]
    agree = [float(row[place].text.split()[0]) for row in rows if len(row) > place]
    assert len(agree) == 4
    assert agree == sorted(agree, reverse=True)


def a_nested_banner_is_compared_by_letters_at_two_levels(browser: Browser, study: str) -> None:
    fresh(browser, study, "ferry_runs_need")
    browser.choose("Banner (across)", "isle")
    browser.see("Tolvey")
    browser.act("banner-within-isle")
    browser.choose("Banner (across)", "isle › sex")
    browser.until(lambda: browser.all('[data-action="banner-without-isle › sex"]'), "the nest")
    browser.unfold("figures")
    browser.tick("column differences (letters)")
    browser.see("Letters: significantly larger than that column at the 5 % level; two-sided")
    browser.choose("Level of letters and arrows", "0.01,0.05")
    browser.see("at the 1 % level; lower-case letters: at the 5 % level")
    browser.choose("Adjusted for the number of comparisons", "holm")
    browser.see("adjusted by Holm")
    heads = browser.text()
    assert re.search(r"Woman\s+A", heads)
    browser.tick("trend across the banner")
    browser.tick("independence (Rao–Scott)")
    browser.see("The ferry runs when I need it")
    browser.fill("Name of the net", "Outer isles")
    browser.choose("Categories of the net", "columns: isle")
    browser.tick("Tolvey")
    browser.tick("Brim")
    browser.act("add-net")
    browser.until(lambda: "Outer isles" in browser.all("thead")[0].text, "the net as a column")


def several_answers_are_shown_as_per_cent_of_cases_and_of_responses(browser: Browser, study: str) -> None:
    browser.go(f"{study}/codebook/why_cross")
    browser.act("to-table")
    browser.until(
        lambda: browser.all('[data-action="banner-without-age_band"]'), "its table by the Default banner"
    )
    browser.until(lambda: "% of responses" in browser.all("tbody")[0].text, "per cent of responses")
    body = browser.all("tbody")[0].text
    assert "% of cases" in body
    assert "Base: responses (unweighted)" in body
    browser.see("Most chose “Shopping”")
    assert "Column %" not in body
    cells = [
        row.find_elements(By.CSS_SELECTOR, "td")[0].text.split()[0] for row in browser.all("tbody tr")[1:-2]
    ]
    cases, responses = [float(x) for x in cells[::2]], [float(x) for x in cells[1::2]]
    assert sum(responses) == pytest.approx(100, abs=0.4)
    assert sum(cases) > 150
    again = browser.driver.current_url
    browser.go(f"{study}/codebook/why_cross")
    browser.act("to-table")
    browser.until(lambda: browser.driver.current_url == again, "the same table, not another one")


def a_domain_has_one_sided_wilson_intervals_at_ninety_per_cent_and_is_told_in_words(
    browser: Browser, study: str
) -> None:
    fresh(browser, study, "passenger_ferry")
    browser.choose("Banner (across)", "isle")
    browser.see("Brim")
    browser.fill("Filter", "age >= 60", enter=True)
    browser.until(lambda: "n = 2,268" not in browser.text(), "the domain")
    browser.unfold("figures")
    browser.choose("Interval method", "wilson")
    browser.choose("Interval level", "0.9")
    browser.choose("Interval sides", "lower")
    browser.see("90 %, lower limit only")
    browser.see("Wilson's limits with the effective base")
    browser.see("the difference of")
    browser.see("The most frequent answer is")
    browser.act("copy-words")
    browser.see("clipboard")


def test_four_tables_are_built_from_the_cleaned_and_weighted_study(browser: Browser, study: str) -> None:
    a_battery_has_items_down_and_a_picture_around_its_middle(browser, study)
    several_answers_are_shown_as_per_cent_of_cases_and_of_responses(browser, study)
    a_nested_banner_is_compared_by_letters_at_two_levels(browser, study)
    a_domain_has_one_sided_wilson_intervals_at_ninety_per_cent_and_is_told_in_words(browser, study)


def said_behind(browser: Browser) -> str:
    """What is behind the figure, in one line."""
    return " ".join(browser.all('[aria-label="Behind the figure"]')[0].text.split())


def test_what_is_behind_a_figure_is_opened(browser: Browser, study: str) -> None:
    browser.go(f"{study}/tables/need")
    browser.see("Base (unweighted)")
    browser.unfold("figures")
    browser.tick("compare with simple random sampling")
    browser.until(lambda: browser.field("compare with simple random sampling").is_enabled(), "the change")
    browser.until(lambda: browser.all("tbody td button:not([disabled])"), "figures")[1].click()
    for said in (
        "Effective base",
        "Relative standard error",
        "Degrees of freedom of its base",
        "Simple random sample, unweighted",
    ):
        browser.see(said)
    behind = said_behind(browser)
    assert re.search(r"Brim −\d+\.\d points −", behind)
    cases = int(re.search(r"Cases in the cell (\d+)", behind)[1])  # type: ignore[index]
    browser.see("Strongly disagree · Hask · column %")
    browser.fill("Filter", "age >= 30", enter=True)
    browser.until(
        lambda: f"Cases in the cell {cases}" not in said_behind(browser),
        "what is behind the figure to be new too",
    )
    assert int(re.search(r"Cases in the cell (\d+)", said_behind(browser))[1]) < cases  # type: ignore[index]
    browser.act("undo")
    browser.until(lambda: f"Cases in the cell {cases}" in said_behind(browser), "the figure from before")
    browser.act("cases-behind")
    browser.see(f"{cases} of 2,268")
    assert browser.field("Only cases where").get_attribute("value") == "ferry_runs_need == 1 and isle == 1"


def test_rows_and_columns_are_renamed_hidden_and_ordered(browser: Browser, study: str) -> None:
    browser.go(f"{study}/tables/crossing")
    browser.see("Base (unweighted)")
    browser.unfold("shown")
    browser.fill("What Never is called", "Not at all", enter=True)
    browser.until(lambda: "Not at all" in browser.all("tbody")[0].text, "the label in the table")
    browser.act("down-passenger_ferry-1")
    browser.until(lambda: not browser.all("tbody tr")[1].text.startswith("Not at all"), "the order")
    browser.tick("show Man", on=False)
    browser.until(lambda: "Man" not in browser.all("thead")[0].text, "the column to go")
    browser.tick("total column", on=False)
    browser.until(lambda: "All" not in browser.all("thead")[0].text, "the total to go")
    browser.see("1 hidden, 1 renamed, without the total column")
    browser.act("shown-as-is")
    browser.see("as they are")
    browser.until(lambda: "Man" in browser.all("thead")[0].text, "everything again")
    browser.act("show-picture")
    browser.choose("Kind of chart", "made")
    browser.act("add-rows-crossing-passenger_ferry-1")
    browser.until(
        lambda: len(browser.all("figure svg[role=img]")) == 2, "who gives each answer, by sex and by age"
    )


def test_the_plan_is_found_grouped_ordered_made_in_bulk_and_kept_in_a_file(
    browser: Browser, study: str, tmp_path: Path
) -> None:
    def plan() -> list[str]:
        return [link.text.split("\n")[0] for link in browser.all('nav[aria-label="Tables of the plan"] a')]

    browser.go(f"{study}/tables/fares")
    browser.see("Base")
    before = browser.until(plan, "the plan")
    browser.act("table-up")
    browser.until(lambda: plan() == [before[0], before[2], before[1], *before[3:]], "the table a place up")
    browser.fill("Group in the plan", "Money", enter=True)
    browser.until(lambda: plan()[-1] == before[2], "it under its heading")
    browser.fill("Find a table", "weekly")
    browser.until(lambda: plan() == [before[2]], "the table by its title")
    browser.fill("Find a table", "timetable")
    browser.until(lambda: plan() == [before[4]], "the table by a question in it")
    browser.act("many-tables")
    browser.choose("Questions, a table each", "tenure")
    browser.until(lambda: browser.all('[data-action="many-stub-without-tenure"]'), "the first question")
    browser.act("many-battery-ferry_runs_need")
    browser.choose("By this banner", "isle")
    browser.fill("Under the heading", "Opinions")
    browser.act("add-many")
    browser.see("2 tables added to the plan.")
    browser.fill("Find a table", "opinions")
    browser.until(lambda: len(plan()) == 2, "both under the heading")
    browser.field("Find a table").clear()
    browser.fill("Find a table", " ")
    browser.act("all-tables")
    browser.act("plan-csv")
    lines = browser.downloaded("*plan*.csv").read_text("utf-8-sig").splitlines()
    assert len(lines) == 1 + 7
    mine = tmp_path / "mine.csv"
    mine.write_text("title,stub,banner,show\nTenure by isle and sex,tenure,isle > sex,n; row_pct\n", "utf-8")
    browser.tick("replace the existing tables")
    browser.give_file("lay-plan", mine)
    browser.see("1 part of the plan read from mine.csv.")
    browser.until(lambda: plan() == ["Tenure by isle and sex"], "the plan of the file")
    mine.write_text("title,stub,show\nTenure,tenure,nonsense\n", "utf-8")
    browser.give_file("lay-plan", mine)
    browser.see("mine.csv, line 2")


def test_changes_in_quick_succession_are_all_saved(browser: Browser, study: str) -> None:
    browser.go(f"{study}/tables/need")
    browser.see("Base (unweighted)")
    with browser.held():
        for _ in range(3):
            browser.act("copy-table")
        browser.see("Saving …")
        # What is saved stays as it was while nothing is answered, however long that takes.
        browser.see("5 tables")
        browser.act("drop-table")
    browser.saved()
    browser.see("7 tables")
    browser.act("copy-table")
    browser.see("8 tables")
    browser.saved()
    browser.driver.refresh()
    browser.see("8 tables")


def asks_before_leaving(browser: Browser) -> bool:
    """Whether a page that is about to be left wants the browser to ask."""
    leave = (
        "const e = new Event('beforeunload', {cancelable: true}); dispatchEvent(e); return e.defaultPrevented"
    )
    return bool(browser.driver.execute_script(leave))


def test_changes_wait_while_the_server_cannot_be_reached(browser: Browser, study: str) -> None:
    browser.go(f"{study}/tables/need")
    browser.see("Base (unweighted)")
    browser.unfold("figures")
    with browser.unreachable():
        browser.tick("sd")
        browser.see("Not saved yet: the server does not answer")
        browser.tick("median")
        browser.see("column %, mean, sd, median")
        assert asks_before_leaving(browser)
    browser.saved()
    assert not asks_before_leaving(browser)
    browser.see("Standard deviation")
    browser.driver.refresh()
    browser.see("column %, mean, sd, median")


def test_what_holds_for_all_tables(browser: Browser, study: str) -> None:
    browser.go(f"{study}/tables/_all")
    browser.fill("Filter of the study", "age >= 60", enter=True)
    browser.see("Tables: only where age >= 60.")
    browser.tick("suppress counts below")
    browser.fill("Smallest count shown", "40", enter=True)
    browser.see("small groups are suppressed")
    browser.tick("a relative standard error (%) over")
    browser.fill("Unreliable: a relative standard error (%) over", "4", enter=True)
    browser.go(f"{study}/tables/need")
    browser.see("figures): fewer than 40 cases")
    browser.see("relative standard error over 4 %")
    assert "×" in browser.all("tbody")[0].text
    assert "n = 2,268" not in browser.text()
    browser.act("undo")
    browser.until(lambda: "relative standard error over" not in browser.text(), "the mark to go")


def test_a_table_that_a_change_stops_says_so_in_place_and_the_others_go_on(
    browser: Browser, study: str
) -> None:
    browser.go(f"{study}/tables/need")
    browser.see("Base (unweighted)")
    browser.fill("Filter", "nobody_knows == 1", enter=True)
    browser.see("There is no variable 'nobody_knows'")
    browser.until(lambda: browser.all("[data-stale]"), "the figures from before, marked")
    assert "Hask" in browser.all("thead")[0].text
    browser.follow("Weekly spending on fares")
    browser.see("What did you yourself spend")
    assert not browser.all("[data-stale]")
    browser.go(f"{study}/tables/need")
    browser.fill("Filter", "age > 200", enter=True)
    browser.see("n = 0")


def test_a_long_count_is_seen_and_stopped_and_counted_again(
    browser: Browser, study: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    browser.go(f"{study}/tables/need")
    browser.see("Base (unweighted)")
    counted_table, tick, slow = tabulate.counted_table, threading.Event(), True

    def dawdling(passes: Any, request: Any, where: str, tell: Any) -> Any:
        for step in range(1000):
            if not slow:
                break
            tell("Counting slowly", step / 1000)
            tick.wait(0.05)
        return counted_table(passes, request, where, tell)

    monkeypatch.setattr(graph, "counted_table", dawdling)
    browser.fill("Filter", "age >= 30", enter=True)
    browser.see("2,026 of 2,268 cases")
    browser.see("Counting slowly")
    browser.see("waiting for new figures")
    assert browser.driver.switch_to.active_element.get_attribute("value") == "age >= 30"
    browser.act("stop-doing")
    browser.see("Counting this table was stopped.")
    browser.until(lambda: "Counting slowly" not in browser.text(), "the work to end")
    assert "n = 2,268" in browser.text()
    slow = False
    browser.act("count-again")
    browser.until(lambda: "n = 2,026" in browser.text(), "the new figures")
    assert not browser.all("[data-stale]")
    # Entered, then left: it was asked for once, and one undo takes it back.
    browser.field("Filter").send_keys(Keys.TAB)
    browser.act("undo")
    browser.until(lambda: "n = 2,268" in browser.text(), "one undo to take the filter back")
    assert browser.field("Filter").get_attribute("value") == ""
