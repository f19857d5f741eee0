"""What a person takes out of the window: a table, an analysis, a figure on the clipboard; a table as a file."""

import io
import zipfile

import openpyxl
import pytest
from pages import Browser
from selenium.webdriver.common.keys import Keys

READ = """
const [kind, done] = arguments;
navigator.clipboard.read().then(async ([item]) =>
  done(item.types.includes(kind) ? await (await item.getType(kind)).text() : ""), (error) => done(String(error)));
"""


@pytest.fixture
def clipboard(browser: Browser) -> Browser:
    """A browser whose clipboard may be read back."""
    origin = {"origin": browser.address, "permissions": ["clipboardReadWrite", "clipboardSanitizedWrite"]}
    browser.driver.execute_cdp_cmd("Browser.grantPermissions", origin)
    return browser


def read(browser: Browser, kind: str) -> str:
    """What is on the clipboard."""
    return str(browser.driver.execute_async_script(READ, kind))


def test_a_table_is_copied_with_its_lines_and_as_text(clipboard: Browser, study: str) -> None:
    browser = clipboard
    browser.go(f"{study}/tables/crossing")
    browser.see("Base (unweighted)")
    browser.driver.find_element("tag name", "body").send_keys("y")
    browser.see("It is on the clipboard")
    text, html = read(browser, "text/plain"), read(browser, "text/html")
    rows = [line.split("\t") for line in text.split("\n")]
    assert any(row[0] == "Every week" and row[-1] == "7.3" for row in rows)
    assert any(row[0] == "Base (unweighted)" and row[-1] == "771" for row in rows)
    assert "<table" in html and "Every week" in html and "7.3" in html
    assert "linearisation" in text


def test_an_analysis_and_a_figure_are_copied(clipboard: Browser, study: str) -> None:
    browser = clipboard
    browser.go(f"{study}/tables/model.weekly")
    browser.see("Odds ratio, on a log axis")
    browser.act("copy-piece")
    browser.see("It is on the clipboard")
    assert "Odds ratio" in read(browser, "text/plain")
    browser.go(f"{study}/tables/crossing")
    browser.see("Base (unweighted)")
    next(cell for cell in browser.all("section table tbody button") if cell.text.startswith("12.8")).click()
    browser.act("copy-figure")
    browser.see("The figure is on the clipboard.")
    said = read(browser, "text/plain")
    assert "Every week · All · column %: 12.8 % (standard error 0.6 points; " in said
    assert "95 % interval 11.8 to 14.0 %; base (unweighted) 2,159)" in said


@pytest.mark.parametrize("kind", ["xlsx", "docx"])
def test_a_table_is_saved_as_a_file(browser: Browser, study: str, kind: str) -> None:
    browser.go(f"{study}/tables/crossing")
    browser.see("Base (unweighted)")
    browser.driver.find_element("css selector", '[data-fold="save-as"] summary').send_keys(Keys.ENTER)
    browser.act(f"save-as-{kind}")
    content = browser.downloaded(f"*.{kind}").read_bytes()
    if kind == "xlsx":
        book = openpyxl.load_workbook(io.BytesIO(content))
        assert any(cell.value == "Every week" for sheet in book for row in sheet.iter_rows() for cell in row)
    else:
        assert b"Every week" in zipfile.ZipFile(io.BytesIO(content)).read("word/document.xml")
