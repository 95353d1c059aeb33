"""The commands of ``./rhombos``."""

from __future__ import annotations

import contextlib
import os
import re
import signal
import socket
import subprocess
import sys
import time
import urllib.error
import urllib.request
from collections.abc import Iterator
from pathlib import Path
from types import FrameType

from rhombos.launch import checks
from rhombos.launch.database import DEBIAN, PrivateDatabase, kept_secret, private_database
from rhombos.launch.tools import (
    ROOT,
    STATE,
    WEB,
    Trouble,
    built_interface,
    debian,
    die_with_parent,
    python_environment,
    say,
    server_command,
    web_packages,
)
from rhombos.launch.watch import Watched, stopped_at_the_end, watch

USAGE = """usage: ./rhombos COMMAND

  demo [--key]               install what is missing, build, load demo data, serve on http://127.0.0.1:8080; with --key behind
                             an access key, for machines that others use too
  dev                        the same with reload on change, the interface on http://127.0.0.1:5173
  test [pytest arguments]    install what is missing and run every check and test
  solve FILE.json [--json]   print the solution of a design
  parts FILE.json [--json]   print the parts list of a design as CSV
  work RELATION name=value … evaluate a relation; the symbol left out is solved for
  book [--json]              list the equation book
  bench                      measure the figures to reach (minutes)
  sweep [--count N] [--seed N] [--scope N] [--jobs N]
                             random briefs over every route, against what must always hold
  types                      regenerate the interface's types from the OpenAPI document
  backup FILE.zip            write every design with its past and every part of your own into one archive
  restore FILE.zip           take what an archive holds and is not there yet
  import KIND FILE.csv | export KIND | schema | openapi

RHOMBOS_PORT moves the server to another port; RHOMBOS_DATA keeps the data in another folder; RHOMBOS_DATABASE_URL uses a
MariaDB of yours instead."""
HEADLESS = ("solve", "parts", "work", "book", "export", "schema", "openapi", "prepare")


UNTHREADED = {"OPENBLAS_NUM_THREADS": "1"}
"""For whatever computes: matrices are small, and waking a second thread takes longer than they do, up to a hundred times."""


class Stopped(Exception):
    """The user asked to stop."""


def main(arguments: list[str]) -> int:
    """Run one command. Returns: the exit code."""
    command, rest = (arguments[0], arguments[1:]) if arguments else ("", [])
    os.environ.update(UNTHREADED)
    try:
        if arguments in (["demo"], ["dev"], ["demo", "--key"]):
            return serve(reload=command == "dev", locked=bool(rest))
        if command == "test":
            return checks.test(rest)
        if command == "types":
            return checks.types()
        if command == "bench":
            return checks.bench()
        if command == "sweep":
            return checks.sweep(rest)
        if command in ("backup", "restore", "import"):
            return keep(arguments)
        if command in HEADLESS:
            python = python_environment(dev=False)
            return subprocess.run([str(python), "-m", "rhombos.cli", *arguments]).returncode
    except Trouble as trouble:
        print(f"rhombos: {trouble}", file=sys.stderr)
        return 1
    except OSError as error:
        print(f"rhombos: {'the disk is full' if error.errno == 28 else error}", file=sys.stderr)
        return 1
    except (KeyboardInterrupt, Stopped):
        return 130
    known = command in ("-h", "--help", "help")
    print(USAGE, file=sys.stdout if known else sys.stderr)
    return 0 if known else 2


def _port() -> int:
    given = os.environ.get("RHOMBOS_PORT", "8080")
    if not re.fullmatch("[0-9]{1,5}", given) or not 1 <= int(given) <= 65535:
        raise Trouble(f"RHOMBOS_PORT={given} is not a port; give 1 to 65535")
    port = int(given)
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind(("127.0.0.1", port))
        except OSError:
            raise Trouble(f"port {port} is taken; stop what runs there, or set RHOMBOS_PORT to another") from None
    return port


@contextlib.contextmanager
def _database() -> Iterator[PrivateDatabase | None]:
    """A database of our own while it is used; None where the user names one."""
    if os.environ.get("RHOMBOS_DATABASE_URL"):
        yield None
        return
    debian(DEBIAN)
    with private_database(_folder()) as server:
        yield server


LEAN = {"MALLOC_ARENA_MAX": "2"}
"""For the server and its processes, of which there are as many as cores: threads share their memory."""


def _folder() -> Path:
    return Path(os.environ.get("RHOMBOS_DATA") or STATE / "database").resolve()


def keep(arguments: list[str]) -> int:
    """A command on what is kept, whether Rhombos runs just now or not."""
    python = python_environment(dev=False)
    command = [str(python), "-m", "rhombos.cli", *arguments]
    if not os.environ.get("RHOMBOS_DATABASE_URL") and (running := PrivateDatabase(_folder()).running()):
        return subprocess.run(command, env=os.environ | {"RHOMBOS_DATABASE_URL": running}).returncode
    with _database() as database:
        env = os.environ | ({"RHOMBOS_DATABASE_URL": database.url} if database else {})
        return subprocess.run(command, env=env).returncode


def serve(*, reload: bool, locked: bool = False) -> int:
    """Install, build, start the database, load demo data and serve until stopped; what ends meanwhile is started again.
    Locked, the server lets in only who gives its access key."""

    def stop(_: int, __: FrameType | None) -> None:
        raise Stopped

    signal.signal(signal.SIGTERM, stop)
    # a shell starts a job in the background with this one ignored; being asked to stop must not be
    signal.signal(signal.SIGINT, signal.default_int_handler)
    port = _port()
    python = python_environment(dev=reload)
    if reload:
        web_env = web_packages(python)
    else:
        built_interface(python)
    with _database() as database:
        env = os.environ | ({"RHOMBOS_DATABASE_URL": database.url} if database else {})
        key = kept_secret((database.folder if database else STATE) / "access-key") if locked else ""
        env |= LEAN | ({"RHOMBOS_KEY": key} if locked else {})
        if code := subprocess.run([str(python), "-m", "rhombos.cli", "prepare", "--demo"], env=env, cwd=ROOT).returncode:
            if code == 2:
                return 1  # it has said why
            raise Trouble("the database could not be prepared")
        command = server_command(python, port)
        if reload:
            command += ["--reload", "--reload-dir", str(ROOT / "src")]
        address = f"http://127.0.0.1:{port}"

        def serving() -> subprocess.Popen[bytes]:
            server = subprocess.Popen(command, env=env, cwd=ROOT, preexec_fn=die_with_parent)
            _await(address, server)
            return server

        processes = [Watched("the server", serving)]
        if reload:
            vite = [str(WEB / "node_modules" / ".bin" / "vite")]
            web = web_env | {"RHOMBOS_API": address}
            processes.append(
                Watched("the interface", lambda: subprocess.Popen(vite, cwd=WEB, env=web, preexec_fn=die_with_parent))
            )
        with stopped_at_the_end(processes):
            for process in processes:
                process.start()
            say(f"Rhombos is at {'http://127.0.0.1:5173' if reload else address} (Ctrl-C stops it)")
            if locked:
                say(f"its access key is {key}")
            if database:  # stopped by its own keeper; before the server, which asks it at once
                processes = [Watched("the database", database.revived), *processes]
                processes[0].process = database.process
            watch(processes)


def _await(address: str, server: subprocess.Popen[bytes]) -> None:
    """Wait until the server answers, whether its database does or not. Raises: Trouble."""
    deadline = time.monotonic() + 60
    while time.monotonic() < deadline:
        if server.poll() is not None:
            raise Trouble("the server stopped at once; its message is above")
        try:
            urllib.request.urlopen(f"{address}/api/health", timeout=10).close()
        except urllib.error.HTTPError:
            return
        except OSError:
            time.sleep(0.05)
        else:
            return
    server.kill()
    raise Trouble("the server did not answer within a minute")
