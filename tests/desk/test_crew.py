"""The processes that work beside the server: replaced when they end, waited for in a queue with an end, gone with the server."""

import asyncio
import contextlib
import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest

from rhombos.core.design.findings import Finding
from rhombos.core.design.pins import PinError
from rhombos.core.design.problems import Problem
from rhombos.core.frame.unbuildable import EmptyShelf, Unbuildable, WrongWave
from rhombos.core.modulation.table import TableProblem
from rhombos.core.parts import Shelf
from rhombos.core.parts.table import TableError
from rhombos.core.routes import ROUTES
from rhombos.desk.crew import AT_ONCE, LATER, Busy, Crew, Failed, Lost

PATIENCE = 60


def who(desk):
    return os.getpid()


def parts(desk):
    return len(desk.shelf)


def until(path):
    deadline = time.monotonic() + PATIENCE
    while not path.exists():
        assert time.monotonic() < deadline
        time.sleep(0.005)


def note(desk, log, name):
    with log.open("a") as file:
        file.write(name)


def hold(desk, log, name, gate):
    note(desk, log, name)
    until(gate)
    return os.getpid()


def end_once(desk, mark):
    if not mark.exists():
        mark.touch()
        os.kill(os.getpid(), signal.SIGKILL)
    return "done"


def end(desk):
    os.kill(os.getpid(), signal.SIGKILL)


def fail(desk, error):
    raise error


class Odd(Exception):
    """Cannot be handed from process to process."""

    def __init__(self, a, b):
        super().__init__("odd")


def fail_oddly(desk):
    raise Odd(1, 2)


def crewed(work, **crew):
    """Run a coroutine function with a crew that is closed in the end."""

    async def run():
        found = Crew(**crew)
        try:
            return await asyncio.wait_for(work(found), PATIENCE)
        finally:
            found.close()

    return asyncio.run(run())


async def occupied(crew, shelf, folder, about=""):
    """A process that is held until folder/gate is there. Returns: its work."""
    held = asyncio.ensure_future(crew.do(shelf, about, AT_ONCE, hold, folder / "log", "1", folder / "gate"))
    await met((folder / "log").exists)
    return held


async def met(state):
    while not state():
        await asyncio.sleep(0.005)


@pytest.fixture
def few(shelf):
    return Shelf(list(shelf.all(type(shelf.find("mosfet", shelf.all_ids("mosfet")[0]))))[:3])


def test_a_process_that_ends_is_replaced_and_its_work_done_by_another(few, tmp_path):
    async def work(crew):
        before = {await crew.do(few, "a", AT_ONCE, who) for _ in range(2)}
        told = await crew.do(few, "a", AT_ONCE, end_once, tmp_path / "mark")
        return before, told, await crew.do(few, "a", AT_ONCE, who)

    before, told, after = crewed(work, count=1)
    assert told == "done"
    assert len(before) == 1
    assert after not in before


def test_work_over_which_two_processes_end_is_given_up_and_the_rest_goes_on(few):
    async def work(crew):
        with pytest.raises(Lost, match="and so did the next"):
            await crew.do(few, "", AT_ONCE, end)
        return await asyncio.gather(*(crew.do(few, "", AT_ONCE, parts) for _ in range(6)))

    assert crewed(work, count=2) == [3] * 6


def test_an_ended_process_costs_the_work_of_others_nothing(few, tmp_path):
    async def work(crew):
        other = await occupied(crew, few, tmp_path)
        assert await crew.do(few, "", AT_ONCE, end_once, tmp_path / "mark") == "done"
        (tmp_path / "gate").touch()
        return await other

    assert crewed(work, count=2) > 0


def test_the_queue_has_an_end_and_what_nobody_waits_for_is_not_begun(few, tmp_path):
    log, gate = tmp_path / "log", tmp_path / "gate"

    async def work(crew):
        first = await occupied(crew, few, tmp_path)
        second, third = (asyncio.ensure_future(crew.do(few, "", AT_ONCE, note, log, n)) for n in "23")
        await met(lambda: crew.waiting == 2)
        with pytest.raises(Busy, match="2 pieces of work wait already"):
            await crew.do(few, "", AT_ONCE, note, log, "4")
        second.cancel()
        await met(lambda: crew.waiting == 1)
        gate.touch()
        await asyncio.gather(first, third)

    crewed(work, count=1, longest=2)
    assert log.read_text() == "13"


def test_work_that_is_under_way_when_nobody_waits_any_more_frees_its_process(few, tmp_path):
    async def work(crew):
        left = await occupied(crew, few, tmp_path)
        left.cancel()
        with contextlib.suppress(asyncio.CancelledError):
            await left
        (tmp_path / "gate").touch()
        return await crew.do(few, "", AT_ONCE, parts)

    assert crewed(work, count=1) == 3


def test_work_that_is_dropped_before_it_began_leaves_its_process_with_the_right_shelf(few, shelf):
    async def work(crew):
        for turn in range(60):
            other = (few, shelf)[turn % 2]
            left = asyncio.ensure_future(crew.do(other, "", AT_ONCE, parts))
            await asyncio.sleep(0.0005 * (turn % 5))
            left.cancel()
            assert await crew.do(other, "", AT_ONCE, parts) == len(other)

    crewed(work, count=1)


def test_who_waits_for_just_this_goes_before_parts_of_a_whole(few, tmp_path):
    log, gate = tmp_path / "log", tmp_path / "gate"

    async def work(crew):
        first = await occupied(crew, few, tmp_path)
        rest = [
            asyncio.ensure_future(crew.do(few, "", urgency, note, log, name))
            for name, urgency in (("a", LATER), ("b", LATER), ("c", AT_ONCE))
        ]
        await met(lambda: crew.waiting == 3)
        gate.touch()
        await asyncio.gather(first, *rest)

    crewed(work, count=1)
    assert log.read_text() == "1cab"


def test_the_same_design_goes_to_the_process_that_has_it_at_hand(few, tmp_path):
    async def work(crew):
        held = await occupied(crew, few, tmp_path, "A")
        again = asyncio.ensure_future(crew.do(few, "A", AT_ONCE, who))
        other = await crew.do(few, "B", AT_ONCE, who)  # the other process is free, and not taken by A's
        assert not again.done()
        (tmp_path / "gate").touch()
        return await held, await again, other, await crew.do(few, "B", AT_ONCE, who)

    held, again, other, same = crewed(work, count=2)
    assert held == again != other == same


def test_a_process_takes_another_shelf_to_hand(few, shelf):
    async def work(crew):
        return [await crew.do(s, "", AT_ONCE, parts) for s in (few, shelf, few)]

    assert crewed(work, count=1) == [3, len(shelf), 3]


PROBLEMS = [Problem("a.b", "1", "a.b is odd")]
NOTHING = Finding(code="a.b", severity="stop", block="brief", title="t", cause="c", remedy="r")


@pytest.mark.parametrize(
    ("error", "kind"),
    [
        (PinError(PROBLEMS), PinError),
        (TableError(PROBLEMS), TableError),
        (TableProblem("bits", "too few"), TableProblem),
        (Unbuildable(NOTHING), Unbuildable),
        (EmptyShelf(["fuse"]), Unbuildable),
        (WrongWave(next(iter(ROUTES.values())), "square"), Unbuildable),
    ],
)
def test_what_the_work_refuses_is_refused_here_in_the_same_words(few, error, kind):
    async def work(crew):
        with pytest.raises(kind) as told:
            await crew.do(few, "", AT_ONCE, fail, error)
        return told.value

    told = crewed(work, count=1)
    assert str(told) == str(error)
    for said in ("problems", "field", "finding"):
        assert getattr(told, said, None) == getattr(error, said, None)


def test_an_error_that_cannot_be_handed_over_is_told_with_its_traceback(few):
    async def work(crew):
        with pytest.raises(Failed, match="raise Odd"):
            await crew.do(few, "", AT_ONCE, fail_oddly)
        return await crew.do(few, "", AT_ONCE, parts)

    assert crewed(work, count=1) == 3


SERVER = """
import asyncio, time
from rhombos.core.parts import Shelf
from rhombos.desk.crew import Crew

async def main():
    crew = Crew(2)
    await crew.begin(Shelf([]))
    print(*crew.processes, flush=True)
    time.sleep(600)

if __name__ == "__main__":
    asyncio.run(main())
"""


def test_no_process_outlives_a_server_that_is_killed(tmp_path):
    script = tmp_path / "server.py"
    script.write_text(SERVER)
    with subprocess.Popen([sys.executable, str(script)], stdout=subprocess.PIPE, text=True) as server:
        numbers = [int(n) for n in server.stdout.readline().split()]
        assert len(numbers) == 2
        assert all(Path(f"/proc/{n}").exists() for n in numbers)
        server.kill()
    deadline = time.monotonic() + PATIENCE
    while any(running(n) for n in numbers):
        assert time.monotonic() < deadline, "they go on without their server"
        time.sleep(0.02)


def running(number):
    with contextlib.suppress(FileNotFoundError):
        return Path(f"/proc/{number}/stat").read_text().rpartition(") ")[2][0] != "Z"
    return False


LEAVING = """
import asyncio, threading, time
from rhombos.demo import house_shelf
from rhombos.desk.crew import Crew

if __name__ == "__main__":
    crew = Crew(2)
    threading.Thread(target=lambda: asyncio.run(crew.begin(house_shelf())), daemon=True).start()
    while not crew.processes:
        time.sleep(0.002)
    crew.close()
"""


def test_a_server_that_ends_while_its_processes_begin_really_ends(tmp_path):
    """The shelf is still on its way to a process that is killed: who writes it must not wait for a reader that is gone."""
    script = tmp_path / "server.py"
    script.write_text(LEAVING)
    subprocess.run([sys.executable, str(script)], check=True, timeout=PATIENCE, capture_output=True)
