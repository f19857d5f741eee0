"""Tables as a statistician builds them: a battery with its picture, several answers, a nested banner with letters, a domain."""

import re

from pages import Browser

ITEMS = ("ferry_keeps_isles", "feel_safe_crossing", "getting_off_easy")


def fresh(browser: Browser, study: str, stub: str) -> None:
    """A new table of one stub variable."""
    browser.go(f"{study}/tables")
    browser.see("Plan of tables")
    before = len(browser.all('a[href*="/tables/"]'))
    browser.act("new-table")
    browser.until(lambda: len(browser.all('a[href*="/tables/"]')) > before, "the new table in the plan")
    first = browser.until(lambda: browser.all('[data-action^="stub-without-"]')[0], "its stub").get_attribute("data-action")
    browser.choose("Stub (down)", stub)
    browser.until(lambda: browser.all(f'[data-action="stub-without-{stub}"]'), "the stub asked for")
    browser.act(str(first))
    browser.until(lambda: not browser.all(f'[data-action="{first}"]'), "the first stub to go")


def test_a_battery_has_items_down_and_a_picture_around_its_middle(browser: Browser, study: str) -> None:
    fresh(browser, study, "ferry_runs_need")
    for item in ITEMS:
        browser.choose("Stub (down)", item)
        browser.until(lambda item=item: browser.all(f'[data-action="stub-without-{item}"]'), item)
    browser.tick("mean")
    browser.see("Mean")
    browser.tick("sd")
    browser.choose("Layout", "battery")
    browser.see("Standard deviation")
    browser.see("Getting on and off is easy")
    browser.fill("Name of the net", "Agree in all")
    browser.act("add-net")
    browser.see("Agree in all")
    assert "2,205" in browser.text()
    browser.act("show-picture")
    browser.until(lambda: len(browser.all("figure svg[role=img] rect")) > 4 * 5, "a bar for every answer of every item")
    assert len(browser.all("figure svg[role=img]")) == 1
    browser.choose("Kind of picture", "dots")
    browser.until(lambda: len(browser.all("figure svg[role=img] circle")) == 4 * 5, "a dot for every answer of every item")
    browser.choose("Kind of picture", "diverging")
    browser.act(f"{browser.all('[data-action^=svg-]')[0].get_attribute('data-action')}")
    saved = browser.until(lambda: next(browser.downloads.glob("*.svg"), None), "the picture as a file")
    assert saved.read_text().startswith("<svg")
    browser.act(f"{browser.all('[data-action^=png-]')[0].get_attribute('data-action')}")
    points = browser.until(lambda: next(browser.downloads.glob("*.png"), None), "the picture as points")
    assert points.read_bytes().startswith(b"\x89PNG")


def test_a_nested_banner_is_compared_by_letters_at_two_levels(browser: Browser, study: str) -> None:
    fresh(browser, study, "ferry_runs_need")
    browser.choose("Banner (across)", "isle")
    browser.see("Tolvey")
    browser.choose("Banner (across)", "isle › sex")
    browser.until(lambda: browser.all('[data-action="banner-without-isle › sex"]'), "the nest")
    browser.act("banner-without-isle")
    browser.driver.execute_script("document.querySelectorAll('details').forEach(d => d.open = true)")
    browser.tick("letters: which columns differ")
    browser.see("Letters: larger than that column by more than sampling would explain, at 5 %; two-sided")
    browser.choose("Level of the letters", "0.01,0.05")
    browser.see("at 1 %; a small letter: at 5 %")
    browser.choose("Adjusted for the number of comparisons", "holm")
    browser.see("adjusted by Holm")
    heads = browser.text()
    assert re.search(r"Woman\s+A", heads)
    browser.tick("trend over the banner's order")
    browser.tick("do they go together (Rao and Scott)")
    browser.see("The ferry runs when I need it")


def test_a_domain_has_one_sided_wilson_intervals_at_ninety_per_cent_and_is_told_in_words(browser: Browser, study: str) -> None:
    fresh(browser, study, "passenger_ferry")
    browser.choose("Banner (across)", "isle")
    browser.see("Brim")
    browser.fill("Filter (a domain)", "age >= 60", enter=True)
    browser.until(lambda: "n = 2,268" not in browser.text(), "the domain")
    browser.choose("Interval method", "wilson")
    browser.choose("Interval level", "0.9")
    browser.choose("Interval sides", "lower")
    browser.see("90 %, lower limit only")
    browser.see("Wilson's limits with the effective base")
    browser.see("the difference,")
    browser.see("The most frequent answer is")
    browser.act("copy-words")
    browser.see("clipboard")


def test_what_is_behind_a_figure_is_opened(browser: Browser, study: str) -> None:
    browser.go(f"{study}/tables/need")
    browser.see("Base (unweighted)")
    browser.driver.execute_script("document.querySelectorAll('details').forEach(d => d.open = true)")
    browser.tick("as if a simple random sample, behind each figure")
    browser.until(lambda: browser.field("as if a simple random sample, behind each figure").is_enabled(), "the change")
    browser.until(lambda: browser.all("tbody td button:not([disabled])"), "figures")[0].click()
    for said in ("Effective base", "Relative standard error", "Degrees of freedom of its base", "Simple random sample, unweighted"):
        browser.see(said)
