"""From a file to the first weighted table: how much of it is done by hand, with the draft and without."""

from collections.abc import Iterator
from pathlib import Path

import pytest
from counting import Counting, Effort
from messy import AGREE, BANDS, OFTEN, Maker, Truth, american, misspelt
from pages import Browser
from selenium.webdriver import ActionChains
from selenium.webdriver.common.keys import Keys

from even_ballot.demo import FILES


def ten_columns() -> Maker:
    """An identifier, a date, a number, six questions in words, a weight."""
    m = Maker(21)
    m.ids("Respondent ID")
    m.dates("Started", "%d/%m/%Y %H:%M", "started")
    m.words("Isle", ("Brim", "Hask", "Orran"), blank=0, ordered=False)
    m.words("Age group", BANDS, blank=0)
    m.numbers("Spent on fares", lambda v: f"£{v:,.2f}", 5, 2400, 2)
    for k, item in enumerate(("on time", "clean", "affordable"), start=1):
        m.words(f"The ferry is {item}: how far do you agree?", AGREE, ("Don't know",))
        del k
    m.words("How often do you cross?", OFTEN, ("Refused",))
    m.numbers("Base weight", lambda v: f"{v:.3f}", 0.4, 3, 3, "weight")
    return m


def many_columns() -> Maker:
    """65 columns: batteries in words and in codes, ticks, dates, numbers."""
    m = ten_columns()
    for k in range(1, 16):
        m.words(
            f"How satisfied are you with thing {k}?",
            ("Very dissatisfied", "Dissatisfied", "Satisfied", "Very satisfied"),
            ("N/A",),
        )
    for k in range(1, 16):
        m.codes(f"q20_{k}", range(1, 6), (8, 9))
    for k in range(1, 11):
        m.put(f"Crosses for: reason {k}", m.pick(["x", ""]), Truth("several"))
    for k in range(1, 11):
        m.numbers(f"Trips in month {k}", lambda v: f"{v:.0f}", 0, 40)
    for k in range(1, 6):
        m.open(f"Comments on thing {k}")
    return m


@pytest.fixture
def counting(browser: Browser) -> Iterator[Counting]:
    counter = Counting(browser)
    yield counter
    counter.end()


def arrive(browser: Browser, counting: Counting, path: Path) -> None:
    browser.go("/")
    counting.begin()
    browser.give_file("choose-file", path)
    browser.see("nothing has been imported yet")


def press(browser: Browser, *keys: str) -> None:
    for key in keys:
        ActionChains(browser.driver).send_keys(key).perform()


def to_weighted_table(
    browser: Browser, margin: str, targets: list[str], stub: str, banner: bool = True
) -> None:
    """From an imported file to a weighted table of one question, by the margin's where there is a banner.
    Cases without a value on the margin keep their share."""
    browser.follow("Weighting")
    browser.see("Rake weights to known margins")
    link = browser.until(lambda: browser.all(f'a[href*="by={margin}"]')[0], margin)
    link.click()
    browser.until(lambda: browser.all('[aria-label^="Target of"]'), "fields for the targets")
    for target in targets:
        press(browser, *target, Keys.ENTER)
    browser.until(
        lambda: "margins met" in browser.text() or browser.all('[data-action="hold-unknown"]'), "weights"
    )
    if browser.all('[data-action="hold-unknown"]'):
        browser.act("hold-unknown")
        browser.see("margins met")
    browser.follow("Tables")
    browser.act("new-table")
    browser.until(
        lambda: browser.driver.switch_to.active_element.get_attribute("role") == "combobox", "the stub"
    )
    press(browser, *stub, Keys.ENTER)
    browser.until(lambda: browser.all('[data-action^="stub-without-"]'), "the stub to be taken")
    if banner:
        field = browser.field("Banner (across)")
        field.click()
        press(browser, *margin, Keys.ENTER)
    browser.see("Base (unweighted)")


def by_hand(browser: Browser, scales: list[tuple[str, tuple[str, ...], tuple[str, ...]]]) -> None:
    """Codes given question by question, as without a draft: each scale is made, put in order and laid on all
    questions that are answered alike."""
    for variable, order, missing in scales:
        browser.follow(variable)
        browser.act("tool-scale")
        browser.until(lambda: browser.all('[aria-label="How it fits"] li'), "how the scale fits")
        for wording in missing:
            browser.choose(f"What “{wording}” is", "missing")
        for place, answer in enumerate(order):
            while True:
                ups = [b.get_attribute("aria-label") for b in browser.all('[data-action^="up-"]')]
                at = ups.index(f"Move up: {answer}")
                if at <= place:
                    break
                browser.act(f"up-{at}")
                browser.until(
                    lambda answer=answer, at=at: (
                        browser.all('[data-action^="up-"]')[at].get_attribute("aria-label")
                        != f"Move up: {answer}"
                    ),
                    f"{answer} to move",
                )
        if browser.all('[data-action="accept-likely"]:not([disabled])'):
            browser.act("accept-likely")
        browser.settle()
        browser.act("apply-scale")
        browser.until(lambda: not browser.all('[data-action="apply-scale"]'), "the scale to be laid")


def said(what: str, effort: Effort, capsys: pytest.CaptureFixture[str]) -> None:
    with capsys.disabled():
        print(f"\n  {what}: {effort.clicks} clicks, {effort.keys} keystrokes")


def test_ten_columns_take_fifteen_clicks_at_most(
    browser: Browser, counting: Counting, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    (tmp_path / "ten.csv").write_text(ten_columns().csv())
    arrive(browser, counting, tmp_path / "ten.csv")
    browser.act("import-answers")
    browser.see("The questionnaire, as it was answered")
    to_weighted_table(browser, "Isle", ["50", "30", "20"], "cross")
    effort = counting.so_far()
    said("ten columns, with the draft", effort, capsys)
    assert effort.clicks <= 15 and effort.keys <= 40
    assert browser.field("Title of the table").get_attribute("value") == "How often do you cross? by Isle"


def test_ten_columns_by_hand_take_several_times_as_many(
    browser: Browser, counting: Counting, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    (tmp_path / "ten.csv").write_text(ten_columns().csv())
    arrive(browser, counting, tmp_path / "ten.csv")
    browser.act("import-plain")
    browser.see("The questionnaire, as it was answered")
    scales = [
        ("Isle", (), ()),
        ("Age group", BANDS, ()),
        ("ferry_time_far_agree", AGREE, ("Don't know",)),
        ("often_cross", OFTEN, ("Refused",)),
    ]
    by_hand(browser, scales)
    to_weighted_table(browser, "Isle", ["50", "30", "20"], "cross")
    effort = counting.so_far()
    said("ten columns, without it", effort, capsys)
    assert effort.clicks > 15


def test_sixty_five_columns_take_forty_clicks_at_most(
    browser: Browser, counting: Counting, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    (tmp_path / "many.csv").write_text(many_columns().csv())
    arrive(browser, counting, tmp_path / "many.csv")
    browser.act("import-answers")
    browser.see("The questionnaire, as it was answered")
    to_weighted_table(browser, "Isle", ["50", "30", "20"], "cross")
    effort = counting.so_far()
    said("65 columns, with the draft", effort, capsys)
    assert effort.clicks <= 40


@pytest.mark.parametrize("name", ["american", "misspelt", "demo"])
def test_files_as_they_come_are_tabulated_by_few_clicks(
    name: str, browser: Browser, counting: Counting, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    if name == "demo":
        path, margin, targets, stub = (
            FILES / "answers.csv",
            "home_live_owned_rented",
            ["60", "30", "10"],
            "highest",
        )
    else:
        file = {"american": american, "misspelt": misspelt}[name]()
        path = tmp_path / file.name
        path.write_bytes(file.content)
        margin = "isle"
        targets = ["40", "30", "20", "10"] if name == "american" else ["50", "30", "20"]
        stub = "Age" if name == "american" else "freq"
    arrive(browser, counting, path)
    browser.act("import-answers")
    browser.see("The questionnaire, as it was answered")
    to_weighted_table(browser, margin, targets, stub, banner=False)
    effort = counting.so_far()
    said(f"{name}, with the draft", effort, capsys)
    assert effort.clicks <= 15 and effort.keys <= 60
