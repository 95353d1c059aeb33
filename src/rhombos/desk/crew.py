"""Processes that work beside the server: each with the shelf at hand, one piece of work at a time.

They are forked from a parent that has everything loaded and the book compiled, so that they are ready at once and share its
memory. Whoever asks waits in a queue that has an end; who asks about a design that a process has at hand waits for that one.
"""

from __future__ import annotations

import asyncio
import contextlib
import gc
import multiprocessing
import os
import pickle
import signal
import threading
import traceback
from collections import deque
from collections.abc import Callable
from concurrent.futures import Future, ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from functools import partial
from multiprocessing.connection import wait
from typing import Any, Concatenate, ParamSpec, TypeVar

from rhombos.core.parts import Shelf
from rhombos.desk.desk import KEPT, Desk

P = ParamSpec("P")
T = TypeVar("T")
COUNT = max(2, min(4, os.cpu_count() or 2))
"""Processes of a crew: one for each core, no more than four."""
LONGEST_QUEUE = 120
"""How many may wait; whoever comes then is asked to come again."""
PRELOADED = "rhombos.desk.ready"
BEHIND = 5
"""How far the processes stand back for the server: their niceness."""
CLOSING = 3.0
"""How long the remains of a process that ended may take to be cleared away, s."""
AT_ONCE, LATER = 0, 1
"""Whether somebody waits for just this, or for a whole of which this is a part."""


class Busy(RuntimeError):
    """So many wait that nobody more is let into the queue."""


class Lost(RuntimeError):
    """A process ended over a piece of work, and another over the same one."""


class Failed(RuntimeError):
    """An error of the work that cannot be handed over as it is; the text is its traceback."""


class Crew:
    """The processes of one server, and a thread that hands out the work. They begin with the first work; `close` ends them."""

    def __init__(self, count: int = COUNT, longest: int = LONGEST_QUEUE) -> None:
        self._hands = [_Hand() for _ in range(count)]
        self._free = list(self._hands)
        self._waiting: list[_Waiter] = []
        self._longest, self._came = longest, 0
        self._loop = asyncio.new_event_loop()
        self._thread = threading.Thread(target=self._loop.run_forever, name="crew", daemon=True)
        self._thread.start()

    async def do(
        self, shelf: Shelf, about: str, urgency: int, work: Callable[Concatenate[Desk, P], T], *given: P.args, **named: P.kwargs
    ) -> T:
        """Have ``work(desk, *given)`` done; `about` is what it is about: the same goes to the process that has it at hand.

        Raises: Busy when the queue is full, Lost when two processes ended over it; what the work raises.
        """
        doing = self._done(shelf, about, urgency, work, given, named)
        return await asyncio.wrap_future(asyncio.run_coroutine_threadsafe(doing, self._loop))

    async def begin(self, shelf: Shelf) -> None:
        """Have every process ready."""
        await asyncio.gather(*(self.do(shelf, "", AT_ONCE, _nothing) for _ in self._hands))

    @property
    def processes(self) -> list[int]:
        """Those that have begun, by number."""
        return [h.process for h in self._hands if h.process]

    @property
    def waiting(self) -> int:
        """How many wait."""
        return len(self._waiting)

    def close(self) -> None:
        """End every process, whatever it works on."""
        self._loop.call_soon_threadsafe(self._loop.stop)
        self._thread.join()
        for hand in self._hands:
            hand.end()
        gc.collect()  # what their queues hold of the system is given back

    async def _done(self, shelf: Shelf, about: str, urgency: int, work: Callable[..., T], given: Any, named: Any) -> T:
        for _ in range(2):
            hand = await self._hand(about, urgency)
            try:
                running = hand.begin(shelf, about, work, given, named)
            except BrokenProcessPool:
                self._give(hand.renewed())
                continue
            running.add_done_callback(partial(self._told, hand))
            with contextlib.suppress(BrokenProcessPool):
                return await asyncio.wrap_future(running)
        raise Lost("the process that worked on this ended, and so did the next one")

    async def _hand(self, about: str, urgency: int) -> _Hand:
        knowing = next((h for h in self._hands if about and about in h.recent), None)
        free = self._free if knowing is None else [h for h in self._free if h is knowing]
        if free:
            self._free.remove(hand := free[0])
            return hand
        if len(self._waiting) >= self._longest:
            raise Busy(f"{self._longest} pieces of work wait already")
        self._came += 1
        waiter = _Waiter(urgency, self._came, knowing)
        self._waiting.append(waiter)
        try:
            return await waiter.turn
        except asyncio.CancelledError:
            if waiter in self._waiting:
                self._waiting.remove(waiter)
            elif not waiter.turn.cancelled():
                self._give(waiter.turn.result())  # its turn came as it went
            raise

    def _told(self, hand: _Hand, running: Future[Any]) -> None:
        """By the pool, on a thread of its own."""
        self._loop.call_soon_threadsafe(self._over, hand, running)

    def _over(self, hand: _Hand, running: Future[Any]) -> None:
        if running.cancelled():
            self._give(hand)
        else:
            self._give(hand.renewed() if isinstance(running.exception(), BrokenProcessPool) else hand.through())

    def _give(self, hand: _Hand) -> None:
        able = [w for w in self._waiting if w.knowing in (None, hand) and not w.turn.done()]
        if not able:
            self._free.append(hand)
            return
        first = min(able, key=lambda w: (w.urgency, w.came))
        self._waiting.remove(first)
        first.turn.set_result(hand)


class _Waiter:
    def __init__(self, urgency: int, came: int, knowing: _Hand | None) -> None:
        self.urgency, self.came, self.knowing = urgency, came, knowing
        self.turn: asyncio.Future[_Hand] = asyncio.get_running_loop().create_future()


class _Hand:
    """One process: its pool of one, which shelf it has, and what it worked on lately."""

    def __init__(self) -> None:
        self.recent: deque[str] = deque(maxlen=KEPT)
        self.process = 0
        self._shelf = self._given = ""
        self._pool = _pool()

    def begin(self, shelf: Shelf, about: str, work: Callable[..., T], given: Any, named: Any) -> Future[T]:
        """Give it work, with the shelf if it has another one. Raises: BrokenProcessPool."""
        if not self.process:
            self.process = self._pool.submit(os.getpid).result()
        running = self._pool.submit(_worked, None if self._shelf == shelf.fingerprint else shelf, work, given, named)
        self._given = shelf.fingerprint
        if about:
            with contextlib.suppress(ValueError):
                self.recent.remove(about)
            self.recent.append(about)
        return running

    def through(self) -> _Hand:
        """With the shelf at hand that its last work brought; work that was dropped before it began brought none."""
        self._shelf = self._given
        return self

    def renewed(self) -> _Hand:
        """With another process in place of one that ended."""
        self.end()
        self.recent.clear()
        self._pool, self._shelf, self._given, self.process = _pool(), "", "", 0
        return self

    def end(self) -> None:
        """End it, whatever it does."""
        if self.process:
            with contextlib.suppress(ProcessLookupError):
                os.kill(self.process, signal.SIGKILL)
            # a shelf still on its way to it would be written without end: Python 3.11 leaves the pipe's far end open. The
            # pool's own thread may be closing it just now
            with contextlib.suppress(OSError):
                self._pool._call_queue._reader.close()  # type: ignore[attr-defined]
        closing = threading.Thread(target=self._pool.shutdown, daemon=True)
        closing.start()
        closing.join(CLOSING)


def _pool() -> ProcessPoolExecutor:
    context = multiprocessing.get_context("forkserver")
    context.set_forkserver_preload([PRELOADED])
    return ProcessPoolExecutor(1, context, _stand_by)


_desk: list[Desk] = []
"""The desk of this process, once it has a shelf."""


def _stand_by() -> None:
    """Stand back for the server, and end with it."""
    os.nice(BEHIND)
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # who stops the server stops its processes
    parent = multiprocessing.parent_process()
    assert parent is not None
    threading.Thread(target=_end_with, args=(parent.sentinel,), daemon=True).start()


def _end_with(sentinel: int) -> None:
    wait([sentinel])
    os._exit(0)


def _nothing(_: Desk) -> None:
    """Take the shelf to hand."""


def _worked(shelf: Shelf | None, work: Callable[..., T], given: Any, named: Any) -> T:
    if shelf is not None:
        _desk[:] = [Desk(shelf)]
    try:
        return work(_desk[0], *given, **named)
    except Exception as error:
        try:
            pickle.loads(pickle.dumps(error))
        except Exception:
            raise Failed(traceback.format_exc()) from None
        raise
