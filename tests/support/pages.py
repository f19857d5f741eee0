"""A browser as a person uses it: by labels, buttons and links."""

import re
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from selenium.common.exceptions import (
    JavascriptException,
    StaleElementReferenceException,
    WebDriverException,
)
from selenium.webdriver import Chrome, ChromeOptions
from selenium.webdriver.chrome.service import Service
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.remote.webelement import WebElement
from selenium.webdriver.support.select import Select

_FLAGS = (
    "--headless --no-sandbox --disable-gpu --disable-quic --no-first-run --disable-background-networking "
    "--disable-component-update --disable-sync --window-size=1280,943 --force-device-scale-factor=1 --lang=en-GB"
)

_WAIT_FOR = """
const [wanted, patience, done] = arguments;
const there = () => document.body.innerText.replace(/\\s+/g, " ").includes(wanted);
if (there()) return done(true);
let due = 0;
const end = (found) => { watch.disconnect(); clearTimeout(last); clearTimeout(due); done(found); };
const look = () => { due = 0; if (there()) end(true); };
const watch = new MutationObserver(() => { due ||= setTimeout(look, 20); });
watch.observe(document, {subtree: true, childList: true, characterData: true, attributes: true});
const last = setTimeout(() => end(there()), patience);
"""
"""Calls back with whether a text stands on the page, as soon as it does."""


def chromium(folder: Path) -> Chrome:
    """Headless Chromium with a profile and a download folder of its own."""
    options = ChromeOptions()
    for flag in [*_FLAGS.split(), f"--user-data-dir={folder / 'profile'}"]:
        options.add_argument(flag)
    options.binary_location = "/usr/bin/chromium"
    downloads = {
        "download.default_directory": str(folder / "downloads"),
        "profile.default_content_setting_values.automatic_downloads": 1,
    }
    options.add_experimental_option("prefs", downloads)
    options.set_capability("goog:loggingPrefs", {"browser": "ALL"})
    return Chrome(options=options, service=Service("/usr/bin/chromedriver"))


@dataclass
class Browser:
    """A window on the application; everything waits for what it wants, a while."""

    driver: Chrome
    address: str
    downloads: Path
    patience: float = 60

    def until(self, get: Callable[..., Any], what: str) -> Any:
        """The first truthy value, or a failure that says what was waited for."""
        end = time.monotonic() + self.patience
        while time.monotonic() < end:
            try:
                if found := get():
                    return found
            except (StaleElementReferenceException, IndexError):
                pass
            time.sleep(0.03)
        raise AssertionError(f"waited for {what}; the page says: {self.text()[:4000]}")

    def go(self, path: str) -> None:
        """Opens a page, once what was asked for on this one is saved."""
        self.saved()
        self.driver.get(self.address + path)

    def saved(self) -> None:
        self.until(lambda: not self.all("[data-saving]"), "all to be saved")

    def text(self) -> str:
        """What can be read on the page, as the browser itself lays it out: several times faster than
        asking for every element."""
        said: str = self.driver.execute_script("return document.body.innerText")
        return re.sub(r"[\t\u00a0 ]+", " ", said)

    def settle(self) -> None:
        """Waits until the page has stood still for half a second, so that what is pressed does not move."""
        seen, since = "", time.monotonic()

        def still() -> bool:
            nonlocal seen, since
            now = self.text()
            if now != seen:
                seen, since = now, time.monotonic()
            return time.monotonic() - since > 0.5 and "Calculating …" not in now

        self.until(still, "the page to stand still")

    def all(self, css: str) -> list[WebElement]:
        return self.driver.find_elements(By.CSS_SELECTOR, css)

    def see(self, text: str) -> None:
        """Waits for a text, wherever its lines break. The page itself looks, whenever something changed."""
        wanted = " ".join(text.split())

        def there() -> bool:
            # A page that is left meanwhile says nothing; the next is asked.
            with suppress(JavascriptException):
                if self.driver.execute_async_script(_WAIT_FOR, wanted, 1000):
                    return True
            # What is out of sight may not be laid out; then every element is asked, which takes longer.
            return wanted in " ".join(self.driver.find_element(By.TAG_NAME, "body").text.split())

        self.until(there, repr(text))

    def act(self, action: str) -> None:
        """Presses the button of an action, once it can be pressed."""
        button = self.until(
            lambda: self.all(f'[data-action="{action}"]:not([disabled])')[0], f"the button {action}"
        )
        self.driver.execute_script("arguments[0].scrollIntoView({block: 'center'})", button)
        self.until(lambda: _pressed(button), f"{action} to be pressed")

    def go_the_way(self, label: str) -> None:
        """Takes the way that a notice offers."""
        self.until(
            lambda: next((b for b in self.all("[data-passing]") if b.text == label), None),
            f"a way to {label}",
        ).click()

    def unfold_list(self, summary: str) -> None:
        """Opens what is folded under a summary."""
        path = f'//summary[normalize-space(.)="{summary}"]'
        folded = self.until(lambda: self.driver.find_elements(By.XPATH, path)[0], summary)
        self.driver.execute_script("arguments[0].parentElement.open = true", folded)

    def field(self, label: str) -> WebElement:
        """The field a label or an aria-label names."""

        def find() -> WebElement | None:
            for each in self.all(f'[aria-label="{label}"]'):
                return each
            for each in self.driver.find_elements(By.XPATH, f'//label[normalize-space(.)="{label}"]'):
                inner = each.find_elements(By.CSS_SELECTOR, "input")
                return inner[0] if inner else self.driver.find_element(By.ID, each.get_attribute("for") or "")
            return None

        return self.until(find, f"the field {label}")

    def fill(self, label: str, text: str, enter: bool = False) -> None:
        field = self.field(label)
        field.send_keys(Keys.CONTROL, "a")
        field.send_keys(text.replace("\t", " "), *([Keys.ENTER] if enter else []))

    def choose(self, label: str, value: str) -> None:
        """Picks from a list, or by typing where one types."""

        def pick() -> bool:
            field = self.field(label)
            if field.get_attribute("role") != "combobox":
                Select(field).select_by_value(value)
                return True
            field.send_keys(Keys.CONTROL, "a")
            name = value.rsplit(" › ", 1)[-1]
            field.send_keys(name)
            self.until(
                lambda: self.all(f'[role=option][aria-selected=true][data-option="{name}"]'),
                f"{value} to be found",
            )
            field.send_keys(Keys.ENTER)
            return True

        self.until(lambda: self.field(label).is_enabled(), f"{label} to be ready")
        self.until(pick, f"{value} in {label}")

    def unfold(self, fold: str) -> None:
        """Opens something that is folded up; it stays open."""

        def open_() -> bool:
            details = self.all(f'details[data-fold="{fold}"]')[0]
            if details.get_attribute("open") is None:
                details.find_element(By.TAG_NAME, "summary").click()
                return False
            return True

        self.until(open_, f"{fold} to unfold")

    def tick(self, label: str, on: bool = True) -> None:
        box = self.field(label)
        if box.is_selected() != on:
            self.driver.execute_script("arguments[0].scrollIntoView({block: 'center'})", box)
            box.click()

    def give_file(self, action: str, path: Path) -> None:
        """Chooses a file for an action that asks for one."""
        self.act(action)
        self.until(lambda: self.all("#picked-file")[0], "the file to be asked for").send_keys(str(path))

    def downloaded(self, pattern: str) -> Path:
        """The file that arrives; it stands there empty until it has been written whole."""
        path: Path = self.until(
            lambda: next((p for p in self.downloads.glob(pattern) if p.stat().st_size), None),
            f"{pattern} to arrive",
        )
        return path

    def follow(self, text: str) -> None:
        def click() -> bool:
            self.driver.find_elements(By.XPATH, f'//a[contains(normalize-space(.), "{text}")]')[0].click()
            return True

        self.until(click, f"the link {text}")

    @contextmanager
    def far_away(self, seconds: float) -> Iterator[None]:
        """A server that takes this long to be reached."""
        self.driver.set_network_conditions(latency=seconds * 1000, throughput=10_000_000)
        yield
        self.driver.delete_network_conditions()

    @contextmanager
    def held(self) -> Iterator[None]:
        """Changes are sent and not answered until this ends, however long what comes meanwhile takes."""
        self.driver.execute_cdp_cmd(
            "Fetch.enable", {"patterns": [{"urlPattern": "*/api/v1/studies/*", "requestStage": "Request"}]}
        )
        try:
            yield
        finally:
            self.driver.execute_cdp_cmd("Fetch.disable", {})

    @contextmanager
    def unreachable(self) -> Iterator[None]:
        """A server that cannot be reached."""
        self.driver.set_network_conditions(offline=True, latency=0, throughput=0)
        yield
        self.driver.delete_network_conditions()

    def errors(self) -> list[str]:
        """What the console complained about."""
        return [entry["message"] for entry in self.driver.get_log("browser") if entry["level"] == "SEVERE"]


def _pressed(button: WebElement) -> bool:
    try:
        button.click()
    except StaleElementReferenceException:
        raise
    except WebDriverException:
        return False
    return True
