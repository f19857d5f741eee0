"""What figures depend on, in the browser: decisions, combinations, the cases that carry a figure, and where it
leads."""

from pages import Browser


def open_figure(browser: Browser, study: str) -> None:
    """From the table to what one of its figures depends on."""
    browser.go(f"{study}/tables/need")
    browser.see("Base (unweighted)")
    browser.all("main td button")[15].click()
    browser.act("figure-depends")


def test_a_figure_says_what_it_depends_on(browser: Browser, study: str) -> None:
    open_figure(browser, study)
    browser.see("Of 16 decisions 2 move it by more than 0.3 standard errors; without “Rake weight to isle”")
    rows = browser.all("main tbody tr")
    assert rows[0].text.startswith("Nothing: as published")
    cells = [row.find_elements("css selector", "td") for row in rows[1:]]
    changes = [abs(float(of[-2].text.replace("−", "-"))) for of in cells if len(of) == 6 and of[-2].text]
    assert changes == sorted(changes, reverse=True) and len(changes) == 16
    # Its address is a link: it shows the same when it is opened anew.
    browser.driver.refresh()
    browser.see("Of 16 decisions 2 move it")
    # Switched off from here it is an entry of the ledger that is off, and can be undone.
    browser.all('[aria-label^="Switch off: Set aside the cases where seconds"]')[0].click()
    browser.see("44 set aside")
    browser.act("undo")
    browser.see("62 set aside")
    assert browser.errors() == []


def test_decisions_are_combined_and_the_cases_that_carry_it_opened(browser: Browser, study: str) -> None:
    open_figure(browser, study)
    browser.see("Of 16 decisions")
    for says in (
        "Rake weight to isle",
        "Weight by weight; instead: no weights at all",
        "Rake weight to tenure",
    ):
        browser.all(f'[aria-label="Combine: {says}"]')[0].click()
    browser.act("depends-combinations")
    browser.see("Over 8 combinations it is")
    points = browser.all('section[aria-label="Combinations"] [role="img"] span span')
    assert len(points) == 8
    browser.act("depends-cases")
    browser.see("The most influential case, record")
    first = browser.all('section[aria-label="The cases that carry it"] tbody a')[0]
    record = first.text.removeprefix("Record ").replace(",", "")
    first.click()
    browser.see("All cells")
    browser.until(lambda: len(browser.all("main [role=row]")) <= 2, "the one case")
    browser.see("1 of 2,268")
    assert record in browser.driver.current_url
    assert browser.errors() == []


def test_the_plan_says_which_decisions_move_it_most(browser: Browser, study: str) -> None:
    browser.go(f"{study}/tables/_depends")
    browser.see("Tables by sensitivity to a single decision")
    first = [row.text.split("\n")[0] for row in browser.all("main tbody tr")[:3]]
    assert first[0].startswith("Weight by weight") and first[2].startswith("Rake weight to isle")
    assert "weightings[" not in browser.text()
    # From a table to its figures, and from there to one of them.
    next(a for a in browser.all("article li a") if a.text == "Why islanders cross, by isle").click()
    browser.see("Figures that move most")
    browser.all("article li a")[0].click()
    browser.see("Nothing: as published")


def test_an_alternative_is_added_worked_out_and_removed(browser: Browser, study: str) -> None:
    browser.go(f"{study}/tables/_depends")
    browser.see("Alternatives of your own")
    browser.choose("Entry of the ledger", "3")
    browser.fill("Condition instead", "seconds < 240")
    browser.fill("Label", "Under 240 seconds")
    browser.act("add-alternative")
    browser.see("instead: Under 240 seconds")
    browser.act("drop-alternative-1")
    browser.until(lambda: "Under 240 seconds" not in browser.text(), "it to be gone")
    browser.see("Tables by sensitivity")
    assert browser.errors() == []


def test_a_figure_goes_into_the_appendix_of_the_release(browser: Browser, study: str) -> None:
    open_figure(browser, study)
    browser.see("Of 16 decisions")
    browser.act("depends-appendix")
    browser.see("Remove from the release’s appendix")
    browser.saved()
    browser.go(f"{study}/release")
    browser.see("What these figures depend on")
    browser.see("decisions not listed change it by less than")
    assert browser.errors() == []


def test_influential_cases_are_looked_for_on_demand(browser: Browser, study: str) -> None:
    browser.go(f"{study}/screening")
    browser.act("seek-influential")
    browser.see("No case contributes more than 0.5 standard errors to the mean of any number.")
    # A lower threshold is set where it says so; the finding leads to its cells, and raises it again.
    browser.fill("Flag above", "0.2", enter=True)
    browser.until(lambda: "No case makes" not in browser.text(), "a finding")
    browser.go(f"{study}/screening/influential~fare_spend")
    browser.see("one case has a large effect on the mean of a number")
    browser.see("The cells")
    browser.fill("Flag above", "0.5", enter=True)
    browser.see("No case contributes more than 0.5 standard errors to the mean of any number.")
    browser.act("seek-influential")
    browser.until(lambda: "No case makes" not in browser.text(), "the check to be off")
