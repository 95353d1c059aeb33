"""Every page can be read: by tired eyes, in the light and in the dark, and by a screen reader."""

import pytest
from selenium.webdriver.common.by import By

from tests.web.conftest import ROOT, size
from tests.web.pages import Bench

pytestmark = pytest.mark.web
AXE = (ROOT / "web" / "node_modules" / "axe-core" / "axe.min.js").read_text()
VIEWS = [
    *(f"?block={b}" for b in ("source", "front_end", "controller", "front_drive", "protection", "heat", "isolation", "brief")),
    *(
        f"?view={v}"
        for v in (
            "routes",
            "magnetics",
            "magnetics&page=winding sheet",
            "magnetics&page=tools",
            "waves",
            "waves&page=scope",
            "waves&page=loop",
            "waves&page=sine table",
            "margins",
            "parts",
            "record",
            "history",
            "battery",
        )
    ),
    "/",
    "/design/b6a1f2d0-0000-4000-8000-000000000008?block=hf_socket",
    "/shelf",
    "/shelf?kind=core&part=ETD 44",
    "/shelf?kind=core&part=ETD 44&form=copy",
    "/book",
    "/precharge",
    "/mains",
]

DARK = ("?block=front_end", "?block=isolation", "?view=routes", "?view=waves&page=scope", "?view=history", "/", "/shelf")
"""Between them these show every colour there is."""


@pytest.fixture
def bench(shared_browser, server):
    """The refuge itself: looked at only."""
    size(shared_browser, 1280, 800)
    return Bench(shared_browser, server.address)


@pytest.mark.parametrize("path", VIEWS)
def test_a_page_can_be_read(bench, path):
    bench.visit("/api/rules")
    bench.browser.execute_script("localStorage.clear()")
    bench.visit(f"/design/b6a1f2d0-0000-4000-8000-000000000001{path}" if path.startswith("?") else path)
    bench.until(lambda: bench.browser.execute_script("return document.body.innerText.length") > 200)
    bench.until(lambda: not bench.browser.find_elements(By.CSS_SELECTOR, '[data-fresh="false"]'))
    if path == "?view=routes":  # compared, and this design rated, one after the other
        bench.one("rating")
    assert bench.browser.execute_script(SMALL) == []
    bench.browser.execute_script(AXE)
    assert bench.browser.execute_async_script(JUDGED, {}) == []
    if path not in DARK:
        return
    bench.click("mode")
    bench.until(lambda: "dark" in bench.browser.find_element(By.TAG_NAME, "html").get_attribute("class"))
    bench.until(lambda: bench.browser.execute_script("return !document.getAnimations().length"), "colours still change")
    assert bench.browser.execute_async_script(JUDGED, {"runOnly": ["color-contrast"]}) == []


SMALL = """
const small = [];
for (const e of document.querySelectorAll('body *')) {
  const words = [...e.childNodes].filter(n => n.nodeType === 3).map(n => n.textContent.trim()).join('');
  if (!words || e.closest('.katex, script, style') || !e.getClientRects().length) continue;
  const scale = e.ownerSVGElement ? Math.abs(e.getScreenCTM().d) : 1;
  const size = parseFloat(getComputedStyle(e).fontSize) * scale;
  if (size < 11.95) small.push([e.tagName, words.slice(0, 30), Math.round(size * 10) / 10]);
}
return small;
"""
JUDGED = """
const done = arguments[arguments.length - 1];
const told = n => [n.target.join(' '), n.html.slice(0, 160), n.failureSummary];
axe.run(document, {...arguments[0], resultTypes: ['violations']}).then(
  found => done(found.violations.flatMap(v => v.nodes.slice(0, 5).map(n => [v.id, ...told(n)]))), e => done(['' + e]));
"""
