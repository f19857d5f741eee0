"""Recipes in the interface: laid on many tables, changed from one of them, kept under a name, undone at once."""

from typing import Any

import httpx
from pages import Browser


def document(browser: Browser, study: str) -> dict[str, Any]:
    at = f"{browser.address}/api/v1/studies/{study.rsplit('/', 1)[1]}"
    return dict(httpx.get(at, timeout=30).json()["document"])


def test_a_recipe_is_laid_on_all_tables_and_undone_at_once(browser: Browser, study: str) -> None:
    before = document(browser, study)
    browser.go(f"{study}/tables/_all")
    browser.choose("Recipe to lay on tables", "Means with intervals")
    browser.tick("Weekly spending on fares, by isle", on=False)
    browser.act("lay-recipe")
    browser.see(f"{len(before['tables']) - 1} tables now by “Means with intervals”.")
    browser.saved()
    tables = {table["id"]: table for table in document(browser, study)["tables"]}
    assert tables["fares"] == next(table for table in before["tables"] if table["id"] == "fares")
    assert tables["need"]["recipe"] == "Means with intervals"
    assert "show" not in tables["need"]
    browser.go(f"{study}/tables/need")
    browser.see("Mean")
    browser.act("undo")
    browser.until(lambda: document(browser, study)["tables"] == before["tables"], "one undo to take it back")


def test_a_recipe_is_kept_from_a_table_and_changed_for_all_that_have_it(browser: Browser, study: str) -> None:
    browser.go(f"{study}/tables/need")
    browser.see("Base (unweighted)")
    browser.unfold("figures")
    browser.tick("mean")
    browser.see("Mean")
    browser.fill("Name of a new recipe", "House")
    browser.act("keep-recipe")
    browser.until(lambda: browser.field("Recipe").get_attribute("value") == "House", "its recipe to be House")
    browser.go(f"{study}/tables/crossing")
    browser.see("Base (unweighted)")
    browser.choose("Recipe", "House")
    browser.see("House: column %, mean")
    browser.tick("sd")
    browser.see("own: figures")
    browser.act("into-recipe")
    browser.until(lambda: "own: figures" not in browser.text(), "the recipe to have it")
    browser.saved()
    found = document(browser, study)
    (recipe,) = (of for of in found["recipes"] if of["name"] == "House")
    assert recipe["show"] == ["col_pct", "mean", "sd"]
    browser.go(f"{study}/tables/need")
    browser.see("Standard deviation")
    # Its tables stay as they are where it is removed.
    browser.go(f"{study}/tables/_all")
    browser.act("drop-recipe-House")
    browser.saved()
    tables = {table["id"]: table for table in document(browser, study)["tables"]}
    assert tables["need"]["show"] == ["col_pct", "mean", "sd"] and not tables["need"]["recipe"]


def test_new_tables_begin_with_the_usual_recipe(browser: Browser, study: str) -> None:
    browser.go(f"{study}/tables/_all")
    browser.act("usual-recipe-Per cents with letters")
    browser.saved()
    browser.go(f"{study}/tables")
    browser.act("new-table")
    browser.choose("Stub (down)", "passenger_ferry")
    browser.see("Per cents with letters: column %")
    browser.see("Base (unweighted)")
    assert "significantly larger" in browser.text()
