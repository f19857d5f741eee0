"""Every page of the demo study, with a text that stands on it once it is whole."""

import json
from urllib.parse import quote

from pages import Browser
from selenium.webdriver.common.keys import Keys

FIGURE = quote(
    json.dumps({"stub": {"variable": "ferry_runs_need", "code": 4}, "banner": [], "stat": "col_pct"})
)
PAGES = {
    "intake": ("intake/frame", "Join these columns to the cases"),
    "questionnaire": ("codebook", "on the scale frequency"),
    "codebook": ("codebook/ferry_runs_need", "also used by"),
    "scales": ("codebook/-scales-", "Used by 8 questions"),
    "formula": ("codebook/-new-", "New variable by a formula"),
    "several": ("codebook/-several-", "Tick questions on the left"),
    "screening": ("screening?ledger=true", "Set cases aside"),
    "flow": ("screening/flow", "Restore them all"),
    "cells": ("screening/cells", "2,268 cases"),
    "left out": ("screening/left-out", "Question by question"),
    "rules": ("screening/rules", "New rule"),
    "finding": ("screening/too_fast", "The cells"),
    "battery": ("tables/ferry", "Copy the sentences"),
    "for all tables": ("tables/_all", "Default banner"),
    "what figures depend on": ("tables/_depends", "Tables by sensitivity"),
    "what a table depends on": ("tables/_depends.need", "Figures that move most"),
    "what a figure depends on": (f"tables/_depends.need?figure={FIGURE}", "Nothing: as published"),
    "cases that carry a figure": (f"tables/_depends.need?figure={FIGURE}&show=cases", "First-stage units"),
    "many tables": ("tables/_many", "By this banner"),
    "weighting": ("weighting/margin-0", "Woman, 18 to 34"),
    "weights": ("weighting", "Heaviest cases"),
    "begin": ("weighting/begin", "Separately within"),
    "limits": ("weighting/limits", "Effect of the upper limit"),
    "compare": ("weighting/compare", "Effect on estimates"),
    "new margin": ("weighting/new", "Variables; several are crossed"),
    "design": ("weighting/design", "142 degrees of freedom"),
    "tables": ("tables/crossing", "Base (unweighted)"),
    "model": ("tables/model.weekly", "Odds ratio, on a log axis"),
    "scale": ("tables/scale.trust", "Cronbach's α"),
    "correlations": ("tables/pairs.views", "Press a pair for details"),
    "side by side": ("tables/beside.weekly", "adds isle"),
    "release": ("release", "142 degrees of freedom"),
    "look of the release": ("release/look", "How these figures were made"),
    "single files": ("release/files", "How these figures were made"),
}


def visit(browser: Browser, study: str, page: str) -> None:
    path, text = PAGES[page]
    browser.go(f"{study}/{path}")
    patience, browser.patience = browser.patience, 60
    browser.see(text)
    browser.patience = patience


def compare_with_palette(browser: Browser) -> None:
    """Every button is an action, and the palette lists exactly those and the ones that only have a key."""
    loose = browser.driver.execute_script(
        "return [...document.querySelectorAll('button')].filter(b => !b.dataset.action && !('passing' in b.dataset)).map(b => b.outerHTML)"
    )
    assert loose == []
    buttons = _named(browser, "action")
    browser.driver.execute_script("document.activeElement.blur()")
    browser.driver.find_element("tag name", "body").send_keys(Keys.CONTROL, "k")
    browser.until(lambda: browser.all("[data-palette-action]"), "the palette")
    listed = _named(browser, "palette-action")
    assert buttons - listed == set()
    assert {action for action in listed - buttons if not str(action).startswith("go-")} == set()
    browser.driver.switch_to.active_element.send_keys(Keys.ESCAPE)


def _named(browser: Browser, what: str) -> set[str]:
    """The names that stand in an attribute anywhere on the page: asked for at once, one by one they take
    seconds."""
    script = "return [...document.querySelectorAll(`[data-${arguments[0]}]`)].map(e => e.getAttribute(`data-${arguments[0]}`))"
    return set(browser.driver.execute_script(script, what))
