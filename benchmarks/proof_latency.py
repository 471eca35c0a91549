"""Proof in the real window at 1080 lines: from a changed method to its picture, and how fast wipes and zooms are
drawn.
"""

from __future__ import annotations

import statistics
import sys
from functools import partial
from time import perf_counter, sleep
from typing import TYPE_CHECKING

from common import demo_window, machine, milliseconds, timed

if TYPE_CHECKING:
    from idle_quarry.app.models.proof.bench import BenchPictures

#: Template, station, parts and methods to change to, one after the other.
CASES = (
    (
        "House UHD HLG 50p",
        None,
        {"kernel": ("bilinear", "bicubic", "spline36", "area"), "rounding": ("round", "truncate")},
    ),
    ("Saltmarsh Hours", "delivery:hd-50", {"kernel": ("bilinear", "mitchell"), "colour": ("soften", "leave")}),
    (
        "The Lamp Room",
        None,
        {"scan": ("interpolate", "compensated", "drop", "leave"), "kernel": ("bicubic", "lanczos4")},
    ),
)


def there(page: BenchPictures, *, coarse: bool) -> bool:
    """Return whether every picture is there, or a coarse one where that will do."""
    assert page.bench is not None
    return all(
        page.bench.still_of(policy, page.index) or (coarse and pane.still is not None)
        for policy, pane in zip(page.compared.policies(), page.panes(), strict=True)
    )


def done(page: BenchPictures) -> bool:
    """Return whether nothing more is under way."""
    return there(page, coarse=False) and not page.busy and None not in page.measured.figures()


def main() -> int:
    """Print medians; the aim is 150 ms to a picture, 25 a second played, and 30 a second for wipes and zooms."""
    print(f"Proof at 1080 lines and more, in the real window; {machine()}")
    first: list[float] = []
    whole: list[float] = []
    with demo_window() as window:
        from PySide6.QtCore import QEventLoop
        from PySide6.QtWidgets import QApplication

        from idle_quarry.app.views.proof.view import ProofView

        app = QApplication.instance()
        assert app is not None
        window.resize(1280, 800)

        def wait(ready: object) -> None:
            while not ready():  # type: ignore[operator]
                app.processEvents(QEventLoop.ProcessEventsFlag.AllEvents, 2)
                sleep(0.001)  # an idle window waits; it does not take Python's lock round and round

        for name, station, parts in CASES:
            window.desk.open_stored(window.desk.library.find(name).id)
            window.show_view("Proof")
            view = window.view("Proof")
            assert isinstance(view, ProofView)
            page, shown = view.model.pictures, view.pictures
            if station is not None:
                view.strip.select(station)
            for part, methods in parts.items():
                if part not in page.compared.asked():
                    continue
                page.compared.compare(part)
                wait(partial(done, page))
                for method in methods:
                    if method not in page.compared.offered(part) or method in page.compared.methods:
                        continue
                    start = perf_counter()
                    page.compared.set_methods([page.compared.methods[0], method])
                    wait(partial(there, page, coarse=True))
                    shown.panes.repaint()
                    first.append(perf_counter() - start)
                    wait(partial(there, page, coarse=False))
                    whole.append(perf_counter() - start)
                    print(f"  {name}, {part} {method}: {1000 * first[-1]:.0f} ms, then {1000 * whole[-1]:.0f} ms")
                    wait(partial(done, page))
        print(f"to a first picture, perhaps a coarse one: {milliseconds(first)}, of {len(first)} changes")
        print(f"to the whole picture: {milliseconds(whole)}")
        assert page.bench is not None
        page.use(str(next(path for path in page.clips if "tape" in path.name)))
        wait(lambda: page.material in str(getattr(page.bench.material, "clip", "")) and not page.busy)
        page.compared.set_methods(page.compared.methods[:1])
        wait(partial(done, page))
        player, rate = page.player, float(page.bench.target.rate)
        start = perf_counter()
        player.start()
        wait(lambda: player.shown > 0)
        begun = perf_counter()
        wait(lambda: player.shown >= 1 + 3 * round(rate))
        pace = 3 * rate / (perf_counter() - begun)
        text = player.text
        player.stop()
        print(
            f"play {name}, {page.compared.methods[0]}: after {begun - start:.1f} s,"
            f" {pace:.1f} pictures a second for 3 s; {text}"
        )
        panes = shown.panes
        shown.lay("Wipe")
        for step in range(3):
            panes.wipe = 0.3 + 0.1 * step
            panes.repaint()

        def wipe() -> None:
            panes.wipe = (panes.wipe + 0.013) % 1
            panes.repaint()

        def zoom() -> None:
            panes.set_zoom({0: 4, 4: 16, 16: 0}[panes.zoom])
            panes.repaint()

        for what, work in (("wipe", wipe), ("zoom", zoom)):
            seconds = timed(work, 60)
            print(f"a {what} step: {milliseconds(seconds)}: {1 / statistics.median(seconds):.0f} a second")
    return 0 if statistics.median(first) < 0.15 else 1


if __name__ == "__main__":
    sys.exit(main())
