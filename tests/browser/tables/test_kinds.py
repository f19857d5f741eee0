"""The kinds of tables that people make, made in the interface."""

import httpx
from pages import Browser
from selenium.webdriver.common.by import By
from selenium.webdriver.remote.webelement import WebElement

ITEMS = ["ferry_runs_need", "staff_board_helpful", "feel_safe_crossing"]


def with_table(browser: Browser, study: str, **table: object) -> str:
    """The address of a table that is put into the plan."""
    at = f"{browser.address}/api/v1/studies/{study.rsplit('/', 1)[1]}"
    found = httpx.get(at, timeout=30).json()
    tables = [*found["document"]["tables"], {"id": "new", "title": "Made here", **table}]
    body = {"edition": found["edition"], "parts": {"tables": tables}}
    assert httpx.patch(at, json=body, timeout=30).status_code == 200
    return f"{study}/tables/new"


def figures(row: WebElement) -> list[str]:
    """The figures of a row, without letters and what stands beside them."""
    cells = row.find_elements(By.CSS_SELECTOR, "td")
    return [td.text.split("\n")[0].split(" ")[-1] for td in cells]


def test_items_stand_down_and_groups_across(browser: Browser, study: str) -> None:
    table = {"stub": ITEMS, "banner": ["sex"], "show": ["col_pct", "mean"], "tests": ["columns"]}
    browser.go(with_table(browser, study, **table))
    browser.see("Base (unweighted)")
    browser.settle()
    shown = [figures(row) for row in browser.all("section table tbody tr") if row.text.startswith("Agree")]
    browser.unfold("figures")
    browser.choose("Layout", "items_by_groups")
    browser.see("base (unweighted)")
    browser.choose("Figure of each item", '["col_pct",4,null]')
    browser.see("Column %: Agree")
    browser.settle()
    rows = [row for row in browser.all("section table tbody tr") if row.find_elements(By.TAG_NAME, "button")]
    assert len(rows) == len(ITEMS) == len(shown)
    across = [figures(row) for row in rows]
    assert across == shown
    letters = [th.text.split("\n")[-1] for th in browser.all("section table thead tr:last-child th")]
    assert letters[-2:] == ["A", "B"]


def test_the_first_table_of_a_number_has_its_mean(browser: Browser, study: str) -> None:
    browser.go(with_table(browser, study, stub=["fare_spend"], show=["col_pct"], banner=["isle"]))
    browser.see("Base (unweighted)")
    assert "Mean" in browser.text() and "can be calculated" not in browser.text()


def test_nested_and_single_columns_have_their_letters_at_one_height(browser: Browser, study: str) -> None:
    table = {"stub": ["passenger_ferry"], "banner": ["sex", ["isle", "age_band"]], "tests": ["columns"]}
    browser.go(with_table(browser, study, **table))
    browser.see("Base (unweighted)")
    last = browser.all("section table thead tr:last-child th")
    cells = browser.all("section table tbody tr:nth-child(2) td")
    assert [th.text.split("\n")[-1] for th in last[:2]] == ["A", "B"]
    edges = [round(th.rect["x"] + th.rect["width"]) for th in last]
    assert edges == [round(td.rect["x"] + td.rect["width"]) for td in cells[-len(edges) :]]
    assert len({th.rect["y"] for th in last}) == 1


def test_a_whole_table_says_its_test_or_why_there_is_none(browser: Browser, study: str) -> None:
    table = {"stub": ["passenger_ferry", "fare_spend"], "banner": ["sex"], "tests": ["independence"]}
    browser.go(with_table(browser, study, **table))
    browser.see("Independence (Rao and Scott, second order)")
    said = browser.text()
    assert "F = " in said and " on " in said
    assert "No test: a number has no categories to be tested" in said


def test_a_pinned_table_shows_what_changed(browser: Browser, study: str) -> None:
    browser.go(f"{study}/tables/need")
    browser.see("Base (unweighted)")
    browser.settle()
    row = next(of for of in browser.all("section table tbody tr") if of.text.startswith("Agree"))
    before = figures(row)[0]
    browser.act("pin-table")
    browser.fill("Filter", "age_band == 3", enter=True)
    browser.see(f"was {before} (")
    browser.act("pin-table")
    browser.until(lambda: "was " not in browser.text(), "the pin to be gone")
