"""Every page: no complaint from axe in either theme, every button's action in the palette, nothing sideways."""

from pathlib import Path

import pytest
from demo_pages import PAGES, compare_with_palette, visit
from pages import Browser

AXE = (Path(__file__).parents[2] / "web" / "node_modules" / "axe-core" / "axe.min.js").read_text()
HALVES = [list(PAGES)[0::2], list(PAGES)[1::2]]


def complaints(browser: Browser, rules: str = "") -> list[tuple[str, str]]:
    """What axe finds on the page as it stands."""
    asked = f"{{runOnly: [{rules!r}]}}" if rules else "{}"
    report = browser.driver.execute_async_script(
        f"axe.run(document, {asked}).then(arguments[arguments.length - 1])"
    )
    return [(found["id"], node["html"][:200]) for found in report["violations"] for node in found["nodes"]]


def look_at(browser: Browser, page: str) -> list[str]:
    """What is wrong with a page. Themes differ in colours alone, so that the second is asked about those."""
    wide, room = browser.driver.execute_script("return [document.documentElement.scrollWidth, innerWidth]")
    wrong = [f"{page}: {wide} px wide"] if wide > room else []
    browser.driver.execute_script(AXE)
    for theme, rules in (("light", ""), ("dark", "color-contrast")):
        browser.driver.execute_script("document.documentElement.dataset.theme = arguments[0]", theme)
        wrong += [f"{page}, {theme}: {found}" for found in complaints(browser, rules)]
    browser.driver.execute_script("document.documentElement.dataset.theme = 'light'")
    compare_with_palette(browser)
    return wrong


@pytest.mark.parametrize("pages", HALVES)
def test_axe_finds_nothing_and_every_action_is_in_the_palette(
    browser: Browser, study: str, pages: list[str]
) -> None:
    wrong = []
    for page in pages:
        visit(browser, study, page)
        wrong += look_at(browser, page)
    assert wrong == []


def test_the_same_holds_of_a_tool_and_of_the_list_of_studies(browser: Browser, study: str) -> None:
    browser.go(f"{study}/codebook/ferry_runs_need")
    browser.act("tool-reverse")
    wrong = look_at(browser, "a tool")
    browser.go("/")
    browser.see("Drop a file of answers here")
    wrong += look_at(browser, "studies")
    browser.act("deleted")
    browser.see("Delete permanently")
    assert wrong + look_at(browser, "deleted studies") == []
