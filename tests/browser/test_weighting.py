"""The weighting station as a statistician uses it: several weights, limits and their price, groups, the
design's methods."""

from pathlib import Path

from pages import Browser


def test_a_copy_is_limited_at_a_price_that_is_seen_and_set_beside_the_first(
    browser: Browser, study: str
) -> None:
    browser.go(f"{study}/weighting")
    browser.see("1,954")
    browser.act("copy-weighting")
    browser.see("weight2")
    browser.follow("Limits")
    browser.see("The share that moves most")
    browser.until(lambda: len(browser.all("svg circle")) > 20, "the curve of prices")
    browser.fill("Upper limit", "2", enter=True)
    browser.see("2.00")
    browser.see("on a limit")
    browser.see("0 to 2 times the mean")
    browser.fill("Lower limit", "0.9", enter=True)
    browser.fill("Upper limit", "1.1", enter=True)
    browser.see("The margins are not met.")
    browser.see("What could be met: 0.494 and 1.506 together")
    browser.fill("Lower limit", "0.5", enter=True)
    browser.fill("Upper limit", "2", enter=True)
    browser.until(lambda: "The margins are not met." not in browser.text(), "limits that can be met")
    browser.follow("Compare weights")
    browser.see("weight, weight2")
    browser.see("5.42")


def test_the_heaviest_case_opens_among_the_cells(browser: Browser, study: str) -> None:
    browser.go(f"{study}/weighting")
    browser.see("Heaviest cases")
    browser.until(lambda: browser.all('a[href*="where=row"]'), "the heaviest cases")[0].click()
    browser.see("1 of 2,268 cases")


def test_a_margin_comes_from_a_file_and_a_misspelt_label_is_mended_in_place(
    browser: Browser, study: str, tmp_path: Path
) -> None:
    targets = tmp_path / "isles.csv"
    targets.write_text("isle,share\nHaask,37\nOrran,28\nTolvey,21\nBrim,14\n")
    browser.go(f"{study}/weighting")
    browser.see("Distribution of the weights")
    browser.act("new-weighting")
    browser.see("weight2")
    browser.act("new-margin")
    browser.choose("Variables; several are crossed", "isle")
    browser.choose("Targets are", "percent")
    browser.unfold_list("Paste targets, or read them from a file")
    browser.give_file("targets-file", targets)
    browser.see("Haask is not a category of isle.")
    browser.see("Without a target: Hask.")
    browser.act("meant-2")
    browser.see("4 lines matched, summing to 100.")
    browser.act("take-targets")
    browser.see("margins met")
    browser.act("drop-weighting")
    browser.until(lambda: "weight2" not in browser.text(), "the weighting to be gone")


def test_groups_have_targets_of_their_own(browser: Browser, study: str) -> None:
    browser.go(f"{study}/weighting")
    browser.see("Distribution of the weights")
    browser.act("new-weighting")
    browser.see("weight2")
    browser.follow("Base weight, groups, scale")
    browser.choose("Base weight", "column")
    browser.choose("Variable", "base_weight")
    browser.choose("Base weights add up to", "cases")
    browser.choose("Separately within", "isle")
    browser.see("within isle; from base_weight")
    browser.act("new-margin")
    browser.choose("Variables; several are crossed", "sex")
    browser.choose("Targets are", "percent")
    browser.unfold_list("Paste targets, or read them from a file")
    browser.fill("Paste or type targets, one per line", "Woman 52\nMan 48")
    browser.see("2 lines matched")
    browser.act("take-targets")
    browser.see("Sum, Orran")
    with browser.far_away(1):
        # Nobody waits for one change to be saved before the next.
        browser.choose("Within isle", "own")
        browser.fill("Target of Hask, Woman", "60", enter=True)
        browser.see("8.00 too much")
    browser.fill("Target of Hask, Man", "40", enter=True)
    browser.until(lambda: "too much" not in browser.text(), "the sum to be right")
    browser.see("margins met")
    browser.see("60.0")


def test_those_who_answered_take_over_in_cells_and_small_ones_are_named(browser: Browser, study: str) -> None:
    browser.go(f"{study}/weighting/begin")
    browser.tick("Adjust for non-response")
    browser.fill("Who answered", "agee > 25")
    browser.act("take-responded")
    browser.see("There is no variable 'agee'")
    browser.fill("Who answered", "age > 25")
    browser.act("take-responded")
    browser.see("all cases")
    browser.choose("Adjustment cells", "isle")
    browser.see("Brim")
    browser.fill("Flag cells with fewer respondents than", "300", enter=True)
    browser.see("▲ small")


def test_standard_errors_are_made_as_the_design_says_and_its_faults_are_named(
    browser: Browser, study: str
) -> None:
    browser.go(f"{study}/weighting/design")
    browser.see("142 degrees of freedom")
    browser.choose("Standard errors by", "bootstrap")
    browser.see("500 bootstrap replicates")
    browser.fill("Replicates", "50", enter=True)
    browser.see("50 bootstrap replicates")
    browser.tick("Account for raking (calibrated)")
    browser.see("which are raked again")
    browser.choose("Standard errors by", "balanced")
    browser.see("Balanced half samples need exactly two first-stage units in each stratum")
    browser.choose("Standard errors by", "jackknife")
    browser.see("150 replicates")
    browser.follow("Tables")
    browser.see("the jackknife, each first-stage unit left out in turn")


def test_a_margin_is_moved_and_a_weight_renamed_wherever_it_is_used(browser: Browser, study: str) -> None:
    browser.go(f"{study}/weighting/margin-0")
    browser.see("Woman, 18 to 34")
    browser.act("margin-later")
    browser.until(lambda: browser.driver.current_url.endswith("margin-1"), "the margin in its new place")
    browser.see("margins met")
    browser.follow("Base weight, groups, scale")
    browser.fill("Saved as the variable", "final", enter=True)
    browser.see("Weighting, final")
    browser.follow("Strata, clusters, standard errors")
    browser.until(
        lambda: browser.field("Weight of the tables").get_attribute("value") == "final",
        "the design to follow",
    )
