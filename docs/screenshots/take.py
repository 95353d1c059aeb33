"""Take the pictures of the README anew from a running ``./rhombos demo``: ``.venv/bin/python docs/screenshots/take.py``."""

from __future__ import annotations

import sys
import tempfile
from collections.abc import Callable
from pathlib import Path

HERE = Path(__file__).parent
sys.path.insert(0, str(HERE.parents[1]))

from selenium.webdriver.common.by import By  # noqa: E402
from tests.web.conftest import browser_of  # noqa: E402
from tests.web.pages import Bench  # noqa: E402

SOUND, DRAWN, BOTH = (f"b6a1f2d0-0000-4000-8000-00000000000{n}" for n in (1, 2, 8))


def fresh(bench: Bench, identity: str, block: str) -> None:
    """Open a block and wait until its pictures are drawn."""
    bench.open(identity, block)
    drawn = '[data-fresh="true"] [data-testid^="chart-"] :is(svg *, td)'
    bench.until(lambda: bench.browser.find_elements(By.CSS_SELECTOR, drawn))


def view(bench: Bench, name: str) -> None:
    """A view of the refuge that fills the bench."""
    bench.visit(f"/design/{SOUND}?view={name}")
    bench.until(
        lambda: bench.browser.find_elements(
            By.CSS_SELECTOR, '[data-testid^="margin-"], [data-testid^="touched-"], [data-testid^="part-"]'
        )
    )


def relation(bench: Bench) -> None:
    """A relation worked in the book."""
    bench.visit("/book")
    bench.one("relation-peak_flux")
    bench.browser.find_element(By.CSS_SELECTOR, 'input[aria-label="find a relation"]').send_keys("leakage")
    bench.click("relation-clamp_power")
    for name, value in {"L_lk": "0.9u", "I": "14", "f": "60k", "V_c": "95", "V_r": "60"}.items():
        bench.type(f"symbol-{name}", value, enter=False)
    bench.click("work")
    bench.one("worked")


def shelf(bench: Bench) -> None:
    """The shelf of cores, one of which lies in the drawer."""
    bench.visit("/shelf?kind=core&part=E 42/21/15")
    bench.type("stock-count", "4", enter=False)
    bench.select("stock-condition", "salvaged")
    bench.type("stock-note", "two old supplies", enter=False)
    bench.click("keep-stock")
    bench.one("take-out")
    bench.click("sort-a_e")
    bench.type("find-part", "E", enter=False)


def emptied(bench: Bench) -> None:
    """The drawer as it was, so that whoever takes pictures again finds the same designs."""
    bench.visit("/shelf?kind=core&part=E 42/21/15")
    bench.click("take-out")
    bench.gone("take-out")


def mains(bench: Bench) -> None:
    """A rectifier on the mains."""
    bench.visit("/mains")
    bench.until(lambda: bench.browser.find_elements(By.CSS_SELECTOR, '[data-testid="chart-bank"] svg *'))


def designs(bench: Bench) -> None:
    """The list."""
    bench.visit("/")
    bench.one(f"design-{SOUND}")


def routes(bench: Bench) -> None:
    """Every route for the refuge."""
    bench.visit(f"/design/{SOUND}?view=routes")
    bench.one("route-detail")
    bench.compared()
    bench.until(lambda: bench.browser.find_elements(By.CSS_SELECTOR, '[data-testid="chart-pareto"] svg *'))
    bench.until(lambda: "…" not in bench.text("rating"))


def magnetics(bench: Bench, page: str = "choices") -> None:
    """The magnetics bench of the refuge's transformer."""
    bench.visit(f"/design/{SOUND}?view=magnetics&block=transformer&page={page}")
    bench.until(lambda: bench.browser.find_elements(By.CSS_SELECTOR, '[data-testid="chart-window"] svg *'))


def waves(bench: Bench) -> None:
    """Ways to modulate the refuge's bridge."""
    bench.visit(f"/design/{SOUND}?view=waves")
    bench.until(lambda: bench.browser.find_elements(By.CSS_SELECTOR, '[data-testid="chart-legs"] svg *'))


def scope(bench: Bench) -> None:
    """A motor that starts from the battery: link, battery, socket and load, two cursors on them."""
    bench.visit(f"/design/{SOUND}?view=waves&page=scope")
    bench.select("pick-load", "motor, starting")
    bench.select("pick-event", "soft start")
    bench.click("probe-link")
    bench.until(lambda: "Source current, mean" in bench.text("readings"))
    bench.click("probe-source")
    bench.select("pick-event", "soft start")
    for place, read in ((0.5, "time"), (0.8, "B − A")):
        bench.until(lambda: bench.one("scope").get_attribute("data-fresh") == "true" and "source" in bench.text("measured"))
        bench.click_across("traces", place)
        bench.until(lambda r=read: r in bench.text("cursors"))


def past(bench: Bench) -> None:
    """An afternoon's edits of a copy of the refuge, one of them named."""
    identity = bench.copy_of(SOUND)
    try:
        for number, (section, values) in enumerate(
            (
                ("pins", {"front_end.frequency": "55k"}),
                ("pins", {"front_end.frequency": "60k"}),
                ("outputs.0.power", {"continuous": 650}),
                ("pins", {"transformer.core": "ETD 54"}),
                ("pins", {"dc_link.count": 2}),
                ("targets", {"ambient": 35}),
            ),
            1,
        ):
            design = bench.ask("GET", f"/api/designs/{identity}")["design"]
            part = design["pins"] if section == "pins" else design["brief"]
            for name in section.split(".") if section != "pins" else ():
                part = part[int(name) if name.isdigit() else name]
            part.update(values)
            bench.ask("PUT", f"/api/designs/{identity}", design, {"If-Match": f'"{number}"'})
        bench.ask("PUT", f"/api/designs/{identity}/revisions/5/label", {"label": "as wound"})
        bench.visit(f"/design/{identity}?view=history")
        bench.click("burst-7")
        bench.click("revision-5")
        bench.until(lambda: bench.text("revision-title") == "Revision 5" and len(bench.all("changed-since")) == 1)
        bench.until(lambda: "35" in bench.text("changed-since"))
    finally:
        bench.ask("DELETE", f"/api/designs/{identity}")


VIEWS: dict[str, Callable[[Bench], None]] = {
    "bench-findings": lambda b: fresh(b, DRAWN, "front_end"),
    "protection": lambda b: fresh(b, SOUND, "protection"),
    "heat": lambda b: fresh(b, SOUND, "heat"),
    "margins": lambda b: view(b, "margins"),
    "parts": lambda b: view(b, "parts"),
    "battery-change": lambda b: view(b, "battery"),
    "precharge": lambda b: fresh(b, SOUND, "precharge"),
    "routes": routes,
    "magnetics": magnetics,
    "winding-sheet": lambda b: magnetics(b, "winding%20sheet"),
    "mains": mains,
    "waves": waves,
    "scope": scope,
    "controller": lambda b: fresh(b, SOUND, "controller"),
    "two-sockets": lambda b: fresh(b, BOTH, "hf_socket"),
    "designs": designs,
    "history": past,
    "shelf": shelf,
    "book": relation,
}


def main() -> None:
    with tempfile.TemporaryDirectory() as profile, browser_of(Path(profile), "--hide-scrollbars") as browser:
        bench = Bench(browser, sys.argv[1] if len(sys.argv) > 1 else "http://127.0.0.1:8080")
        for name, show in VIEWS.items():
            show(bench)
            browser.save_screenshot(str(HERE / f"{name}.png"))
        emptied(bench)


if __name__ == "__main__":
    main()
