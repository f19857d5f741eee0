"""How many clicks and keystrokes a way through the interface takes, counted in the browser itself."""

from dataclasses import dataclass

from pages import Browser

_COUNT = """
(() => {
  const add = (key, n) => sessionStorage.setItem(key, Number(sessionStorage.getItem(key) || 0) + n);
  addEventListener('click', (e) => {
    const select = e.target.closest && e.target.closest('select, option');
    if (e.isTrusted && e.detail > 0 && !select) add('counted-clicks', 1);
  }, true);
  // A list is opened by one click and left by another.
  addEventListener('change', (e) => { if (e.target.matches('select')) add('counted-clicks', 2); }, true);
  addEventListener('keydown', (e) => {
    const alone = ['Control', 'Shift', 'Alt', 'Meta'].includes(e.key);
    if (e.isTrusted && !alone) add('counted-keys', 1);
  }, true);
})();
"""


@dataclass
class Effort:
    """What was done by hand."""

    clicks: int
    keys: int


class Counting:
    """Counts from here on, over all pages that are opened."""

    def __init__(self, browser: Browser) -> None:
        self.driver = browser.driver
        added = self.driver.execute_cdp_cmd("Page.addScriptToEvaluateOnNewDocument", {"source": _COUNT})
        self.script = added["identifier"]

    def begin(self) -> None:
        """From nothing; the page that is open is counted on too."""
        self.driver.execute_script(
            "sessionStorage.removeItem('counted-clicks');sessionStorage.removeItem('counted-keys')"
        )

    def so_far(self) -> Effort:
        get = "return [Number(sessionStorage.getItem('counted-clicks')), Number(sessionStorage.getItem('counted-keys'))]"
        return Effort(*self.driver.execute_script(get))

    def end(self) -> None:
        self.driver.execute_cdp_cmd("Page.removeScriptToEvaluateOnNewDocument", {"identifier": self.script})
