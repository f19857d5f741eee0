"""The Release station: the document written in place, made, kept and compared."""

import json
import zipfile
from pathlib import Path

import docx
import pytest
from pages import Browser
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys


def write(browser: Browser, label: str, text: str) -> None:
    """Writes a text where it stands, and leaves it."""
    field = browser.until(lambda: browser.all(f'[aria-label="{label}"]')[0], label)
    browser.driver.execute_script("arguments[0].scrollIntoView({block: 'center'})", field)
    field.click()
    field.send_keys(Keys.CONTROL, "a")
    field.send_keys(text, Keys.TAB)


def contents(browser: Browser) -> list[str]:
    """Lines of the contents."""
    return [
        line.text
        for line in browser.all('nav[aria-label="Contents of the release"] li button[title]')
        if line.text
    ]


def make(browser: Browser, number: int) -> None:
    browser.act("make-release")
    browser.until(lambda: f"made.{number}" in browser.driver.current_url, "the release")
    browser.see("Save all files")


def test_a_release_is_written_in_place_made_and_compared(browser: Browser, study: str) -> None:
    browser.go(f"{study}/release")
    browser.see("Table 1.")
    write(browser, "Title of the release", "How the isles cross")
    write(browser, "Note below Table 1", "Asked of adults on all four isles.")
    write(browser, "Title of Table 2", "Who crosses how often")
    browser.until(lambda: "Table 2. Who crosses how often" in contents(browser), "the title in the contents")
    # The order by keyboard, a part left out and taken in again.
    handle = browser.all('[aria-label="Move Table 2. Who crosses how often"]')[0]
    handle.send_keys(Keys.ALT, Keys.ARROW_UP)
    browser.until(lambda: "Table 1. Who crosses how often" in contents(browser), "it to come first")
    line = browser.all('[aria-label="Remove Table 3. Weekly spending on fares, by isle"]')[-1]
    browser.driver.execute_script("arguments[0].click()", line)
    browser.see("Not in it")
    browser.act("add-heading")
    browser.until(lambda: "New heading" in contents(browser), "the heading")
    # Only quick formats, and what changed since.
    browser.act("release-look")
    for format in ("pages (.pdf)", "text document (.docx)"):
        browser.tick(format, False)
    browser.tick("what changed since the last release")
    make(browser, 1)
    browser.see("Nothing: all")
    browser.act("save-all")
    with zipfile.ZipFile(browser.downloaded("*release-1.zip")) as archive:
        page = archive.read("release.html").decode()
        names = {of["name"] for of in json.loads(archive.read("manifest.json"))["files"]}
    assert "How the isles cross" in page and "Asked of adults on all four isles." in page
    assert "release.html" in names and "release.pdf" not in names
    # An entry is switched off; the next release says what that changed.
    browser.go(f"{study}/screening?ledger=true")
    browser.act("switch-4")
    browser.go(f"{study}/release/made.1")
    browser.see("cases in use: 2,268 before")
    make(browser, 2)
    browser.choose("Compared with", "1")
    browser.see("cases in use:")
    assert browser.errors() == []


def test_contents_are_dragged_a_template_is_brought_in_and_making_is_stopped(
    browser: Browser, study: str, tmp_path: Path
) -> None:
    browser.go(f"{study}/release")
    browser.until(lambda: "Table 3. Weekly spending on fares, by isle" in contents(browser), "the contents")
    handle, first = (browser.all(f'[aria-label^="Move Table {number}."]')[0] for number in (3, 1))
    drag = ActionChains(browser.driver).click_and_hold(handle).move_by_offset(0, -8)
    drag.move_to_element(first).move_by_offset(0, -4).pause(0.3).release().perform()
    browser.until(
        lambda: "Table 1. Weekly spending on fares, by isle" in contents(browser), "it to come first"
    )
    browser.go(f"{study}/release/look")
    none, house = tmp_path / "none.docx", tmp_path / "house.docx"
    none.write_text("no document")
    browser.give_file("bring-template", none)
    browser.see("The template is no .docx that can be read")
    docx.Document().save(str(house))
    browser.give_file("bring-template", house)
    browser.see("house.docx")
    assert "The template is no .docx" not in browser.text()
    browser.act("make-release")
    browser.act("stop-release")
    browser.see("Stopped. No release was made.")
    browser.see("None yet. One that was made stays as it was.")
    assert all("template?" in error for error in browser.errors())  # The one that was refused.


def test_what_to_look_at_leads_to_its_place(browser: Browser, study: str) -> None:
    browser.go(f"{study}/release")
    browser.see("1 answer unrecognised")
    browser.driver.find_element(By.PARTIAL_LINK_TEXT, "answer unrecognised").click()
    browser.until(lambda: "/screening" in browser.driver.current_url, "the screening")


@pytest.mark.parametrize("scheme", ["light", "dark"])
def test_axe_finds_nothing_on_the_page_that_is_handed_over(browser: Browser, study: str, scheme: str) -> None:
    browser.driver.execute_cdp_cmd(
        "Emulation.setEmulatedMedia", {"features": [{"name": "prefers-color-scheme", "value": scheme}]}
    )
    browser.go(f"/api/v1{study.replace('/study', '/studies')}/releases/next/page")
    browser.see("How these figures were made")
    axe = Path(__file__).parents[2] / "web" / "node_modules" / "axe-core" / "axe.min.js"
    browser.driver.execute_script(axe.read_text())
    report = browser.driver.execute_async_script("axe.run(document).then(arguments[arguments.length - 1])")
    assert [(v["id"], v["nodes"][0]["html"][:200]) for v in report["violations"]] == []
    browser.driver.execute_cdp_cmd("Emulation.setEmulatedMedia", {"features": []})
