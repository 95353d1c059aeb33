"""The commands of ``./rhombos``."""

from __future__ import annotations

import contextlib
import os
import signal
import socket
import subprocess
import sys
import time
import urllib.request
from collections.abc import Iterator
from types import FrameType

from rhombos.launch import checks
from rhombos.launch.database import DEBIAN, private_database
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
    web_packages,
)

USAGE = """usage: ./rhombos COMMAND

  demo                       install what is missing, build, load demo data, serve on http://127.0.0.1:8080
  dev                        the same with reload on change, the interface on http://127.0.0.1:5173
  test [pytest arguments]    install what is missing and run every check and test
  solve FILE.json [--json]   print the solution of a design
  work RELATION name=value … evaluate a relation; the symbol left out is solved for
  book [--json]              list the equation book
  bench                      measure the figures to reach (minutes)
  sweep [--count N] [--seed N] [--scope N] [--jobs N]
                             random briefs over every route, against what must always hold
  types                      write the interface's types anew from the OpenAPI document
  import KIND FILE.csv | export KIND | schema | openapi

RHOMBOS_PORT moves the server to another port; RHOMBOS_DATABASE_URL uses a database of yours."""
HEADLESS = ("solve", "work", "book", "import", "export", "schema", "openapi", "prepare")


class Stopped(Exception):
    """The user asked to stop."""


def main(arguments: list[str]) -> int:
    """Run one command. Returns: the exit code."""
    command, rest = (arguments[0], arguments[1:]) if arguments else ("", [])
    try:
        if command in ("demo", "dev"):
            return serve(reload=command == "dev")
        if command == "test":
            return checks.test(rest)
        if command == "types":
            return checks.types()
        if command == "bench":
            return checks.bench()
        if command == "sweep":
            return checks.sweep(rest)
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
    if not given.isdigit() or not 1 <= int(given) <= 65535:
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
def _database_url() -> Iterator[str]:
    given = os.environ.get("RHOMBOS_DATABASE_URL")
    if given:
        yield given
        return
    debian(DEBIAN)
    with private_database(STATE / "database") as server:
        yield server.url


def serve(*, reload: bool) -> int:
    """Install, build, start the database, load demo data and serve until stopped."""

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
    children: list[subprocess.Popen[bytes]] = []
    with _database_url() as url:
        env = os.environ | {"RHOMBOS_DATABASE_URL": url}
        if subprocess.run([str(python), "-m", "rhombos.cli", "prepare", "--demo"], env=env, cwd=ROOT).returncode:
            raise Trouble("the database could not be prepared")
        command = [str(python), "-m", "uvicorn", "--factory", "rhombos.api.app:create_app", "--host", "127.0.0.1",
                   "--port", str(port), "--log-level", "warning", "--no-server-header"]  # fmt: skip
        if reload:
            command += ["--reload", "--reload-dir", str(ROOT / "src")]
        try:
            children.append(subprocess.Popen(command, env=env, cwd=ROOT, preexec_fn=die_with_parent))
            address = f"http://127.0.0.1:{port}"
            _await(address, children[0])
            if reload:
                vite = str(WEB / "node_modules" / ".bin" / "vite")
                web = web_env | {"RHOMBOS_API": address}
                children.append(subprocess.Popen([vite], cwd=WEB, env=web, preexec_fn=die_with_parent))
                address = "http://127.0.0.1:5173"
            say(f"Rhombos is at {address} (Ctrl-C stops it)")
            return children[0].wait()
        finally:
            for child in reversed(children):
                child.terminate()
            for child in children:
                with contextlib.suppress(subprocess.TimeoutExpired):
                    child.wait(timeout=10)
                child.kill()


def _await(address: str, server: subprocess.Popen[bytes]) -> None:
    deadline = time.monotonic() + 60
    while time.monotonic() < deadline:
        if server.poll() is not None:
            raise Trouble("the server stopped at once; its message is above")
        with contextlib.suppress(OSError), urllib.request.urlopen(f"{address}/api/health", timeout=5):
            return
        time.sleep(0.05)
    raise Trouble("the server did not answer within a minute")


