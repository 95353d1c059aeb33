"""The processes of a running Rhombos: each is started again when it ends, and said so in one line."""

from __future__ import annotations

import contextlib
import signal
import subprocess
import time
from collections.abc import Callable, Iterator, Sequence
from typing import NoReturn

from rhombos.launch.tools import Trouble, say

LOOK = 0.1
"""How often the processes are looked at, s."""
MOST_ENDS, AT_ONCE = 5, 1.0
"""How often in a row one may end within so many seconds of its start before it is given up."""
GRACE = 10.0
"""How long a process may take to end when it is asked to, s."""

Start = Callable[[], "subprocess.Popen[bytes]"]


class Watched:
    """A process and how to start it; `start` returns once it serves, or raises Trouble."""

    def __init__(self, name: str, start: Start) -> None:
        self.name = name
        self._start = start
        self._began, self._ends = 0.0, 0
        self.process: subprocess.Popen[bytes] | None = None

    def start(self) -> None:
        """Start it. Raises: Trouble."""
        self.process = self._start()
        self._began = time.monotonic()

    def revive(self) -> None:
        """Start it again if it has ended. Raises: Trouble when it ends again and again."""
        if self.process is None or (code := self.process.poll()) is None:
            return
        said = how(code)
        self._ends = self._ends + 1 if time.monotonic() - self._began < AT_ONCE else 1
        while True:
            if self._ends >= MOST_ENDS:
                raise Trouble(f"{self.name} ended at once, {MOST_ENDS} times in a row, the last time {said}; given up")
            try:
                self.start()
            except Trouble as trouble:
                said, self._ends = f"with: {trouble}", self._ends + 1
                time.sleep(LOOK)
            else:
                say(f"{self.name} ended {said}; it runs again")
                return

    def stop(self) -> None:
        """Ask it to end, and see to it that it does."""
        if self.process is None:
            return
        self.process.terminate()
        with contextlib.suppress(subprocess.TimeoutExpired):
            self.process.wait(timeout=GRACE)
        self.process.kill()
        self.process.wait()


def how(code: int) -> str:
    """How a process ended, from its exit code."""
    if code < 0:
        return f"by {signal.Signals(-code).name}"
    return "of itself" if code == 0 else f"with code {code}"


def watch(processes: Sequence[Watched]) -> NoReturn:
    """Look after them, in this order, until something is raised."""
    while True:
        for each in processes:
            each.revive()
        time.sleep(LOOK)


@contextlib.contextmanager
def stopped_at_the_end(processes: Sequence[Watched]) -> Iterator[None]:
    """Stop them, the last first, whatever happens."""
    try:
        yield
    finally:
        for each in reversed(processes):
            each.stop()
