"""A private MariaDB with its own data folder, on loopback, that lives no longer than who started it."""

from __future__ import annotations

import contextlib
import fcntl
import os
import re
import secrets
import shutil
import signal
import socket
import subprocess
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path
from typing import IO

from rhombos.launch.tools import Trouble, die_with_parent

DEBIAN = {"mariadbd": "mariadb-server"}
PATIENCE = 30.0
SERVER_PATH = f"{os.environ.get('PATH', '')}:/usr/sbin:/usr/libexec"


def free_port() -> int:
    """A port of loopback that nobody uses just now."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


SECRET = re.compile("[0-9a-f]{32}")


def _write_whole(path: Path, text: str) -> None:
    """Write a file that only its owner reads, beside its place, and move it there whole."""
    fresh = path.with_name(f"{path.name}.new")
    fresh.unlink(missing_ok=True)
    with os.fdopen(os.open(fresh, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "w") as out:
        out.write(text)
        out.flush()
        os.fsync(out.fileno())
    fresh.rename(path)


def kept_secret(path: Path) -> str:
    """A secret that is kept in a file which only its owner reads; one that is not whole is replaced."""
    with contextlib.suppress(OSError, UnicodeDecodeError):
        if SECRET.fullmatch(found := path.read_text().strip()):
            return found
    path.parent.mkdir(parents=True, exist_ok=True)
    _write_whole(path, secrets.token_hex(16))
    return path.read_text()


class PrivateDatabase:
    """One server on one data folder; `start` and `stop` may be called again and again."""

    def __init__(self, folder: Path, port: int | None = None) -> None:
        self.folder = folder
        self.port = port or free_port()
        self._process: subprocess.Popen[bytes] | None = None
        self._lock: IO[str] | None = None
        self._sockets: Path | None = None

    @property
    def url(self) -> str:
        """Where SQLAlchemy finds it."""
        return f"mysql+pymysql://rhombos:{kept_secret(self.folder / 'secret')}@127.0.0.1:{self.port}/rhombos?charset=utf8mb4"

    @property
    def process(self) -> subprocess.Popen[bytes] | None:
        """The server, while it runs."""
        return self._process

    def running(self) -> str | None:
        """Where a server that somebody else runs on this folder is found; None when nobody does."""
        try:
            with (self.folder / "lock").open("r") as handle:
                fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
            return None
        except BlockingIOError:
            pass
        except OSError:
            return None
        with contextlib.suppress(OSError, ValueError):
            self.port = int((self.folder / "port").read_text())
            return self.url
        return None

    def revived(self) -> subprocess.Popen[bytes]:
        """Start the server again on its port. Returns: its process. Raises: Trouble."""
        self.start()
        assert self._process is not None
        return self._process

    def start(self) -> None:
        """Start the server and wait until it answers. Raises: Trouble."""
        self.folder.mkdir(parents=True, exist_ok=True)
        self._claim()
        self._end_orphan()
        self._initialise()
        self._launch()
        self._await()
        _write_whole(self.folder / "port", str(self.port))

    def _claim(self) -> None:
        if self._lock is not None:
            return
        handle = (self.folder / "lock").open("w")
        try:
            fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            handle.close()
            raise Trouble(f"Rhombos already runs on {self.folder}; stop it first") from None
        self._lock = handle

    def _end_orphan(self) -> None:
        """Stop a server that a crash left running on this folder; nobody else holds the lock."""
        kept = self.folder / "pid"
        if not kept.exists():
            return
        found = re.fullmatch(r"\s*([0-9]{1,9})\s*", kept.read_bytes().decode(errors="replace"))
        pid = int(found[1]) if found else 0
        try:
            command = Path(f"/proc/{pid}/cmdline").read_bytes().decode(errors="replace")
        except OSError:
            command = ""
        if pid > 1 and str(self.folder) in command:
            for number in (signal.SIGTERM, signal.SIGKILL):
                with contextlib.suppress(ProcessLookupError):
                    os.kill(pid, number)
                deadline = time.monotonic() + 15
                while Path(f"/proc/{pid}").exists() and time.monotonic() < deadline:
                    time.sleep(0.02)
                if not Path(f"/proc/{pid}").exists():
                    break
        kept.unlink(missing_ok=True)

    def _environment(self) -> dict[str, str]:
        """A temporary folder of the server's own: one that starts sweeps away what looks left over in a shared one."""
        place = self.folder / "tmp"
        place.mkdir(exist_ok=True)
        return os.environ | {"PATH": SERVER_PATH, "TMPDIR": str(place)}

    def _initialise(self) -> None:
        """Make the data folder beside its place and move it there whole, so that a half-made one is never used."""
        data = self.folder / "data"
        if data.is_dir():
            return
        fresh = self.folder / "data.new"
        shutil.rmtree(fresh, ignore_errors=True)
        done = subprocess.run(
            [
                "mariadb-install-db",
                "--no-defaults",
                f"--datadir={fresh}",
                "--auth-root-authentication-method=normal",
                "--skip-test-db",
                *self._as_root(),
            ],
            capture_output=True,
            text=True,
            env=self._environment(),
        )
        if done.returncode:
            text = done.stdout + done.stderr
            full = "No space left" in text or "Errcode: 28" in text
            raise Trouble("the disk is full" if full else f"MariaDB cannot be set up: {text.strip()[-200:]}")
        fresh.rename(data)

    @staticmethod
    def _as_root() -> list[str]:
        return ["--user=root"] if os.geteuid() == 0 else []

    def _launch(self) -> None:
        secret = kept_secret(self.folder / "secret")
        welcome = self.folder / "welcome.sql"
        _write_whole(
            welcome,
            "CREATE DATABASE IF NOT EXISTS rhombos CHARACTER SET utf8mb4;\n"
            f"CREATE USER IF NOT EXISTS rhombos@'127.0.0.1' IDENTIFIED BY '{secret}';\n"
            f"ALTER USER rhombos@'127.0.0.1' IDENTIFIED BY '{secret}';\n"
            "GRANT ALL ON rhombos.* TO rhombos@'127.0.0.1';\n"
            f"ALTER USER root@localhost IDENTIFIED BY '{kept_secret(self.folder / 'root-secret')}';\n"
            "DELETE FROM mysql.global_priv WHERE User = '' OR (User = 'root' AND Host <> 'localhost');\n"
            "FLUSH PRIVILEGES;\n",
        )
        self._sockets = self._sockets or Path(tempfile.mkdtemp(prefix="rhombos-"))  # socket paths must be short
        server = shutil.which("mariadbd", path=SERVER_PATH)
        if server is None:
            raise Trouble("mariadb-server is missing; run: sudo apt-get install mariadb-server")
        with (self.folder / "log").open("ab") as log:
            self._process = subprocess.Popen(
                [
                    server,
                    "--no-defaults",
                    f"--datadir={self.folder / 'data'}",
                    f"--socket={self._sockets / 's'}",
                    f"--pid-file={self.folder / 'pid'}",
                    f"--port={self.port}",
                    "--bind-address=127.0.0.1",
                    f"--init-file={welcome}",
                    "--skip-name-resolve",
                    "--innodb-buffer-pool-size=32M",
                    "--innodb-log-file-size=16M",
                    "--performance-schema=OFF",
                    "--max-connections=60",
                    "--character-set-server=utf8mb4",
                    *self._as_root(),
                ],
                stdout=log,
                stderr=log,
                stdin=subprocess.DEVNULL,
                env=self._environment(),
                preexec_fn=die_with_parent,
            )

    def _await(self) -> None:
        assert self._process is not None
        deadline = time.monotonic() + PATIENCE
        while time.monotonic() < deadline:
            if self._process.poll() is not None:
                last = (self.folder / "log").read_text(errors="replace").strip().splitlines()[-1:]
                raise Trouble(f"MariaDB stopped at once: {' '.join(last)[-200:]} (see {self.folder / 'log'})")
            with contextlib.suppress(OSError), socket.create_connection(("127.0.0.1", self.port), timeout=1) as probe:
                probe.settimeout(2)
                if probe.recv(5)[4:5] == b"\x0a":  # protocol version 10 opens the greeting
                    return
            time.sleep(0.02)
        raise Trouble(f"MariaDB did not answer within {PATIENCE:.0f} s (see {self.folder / 'log'})")

    def stop(self, *, hard: bool = False) -> None:
        """Stop the server; `hard` kills it as a power cut would."""
        if self._process is not None:
            self._process.send_signal(signal.SIGKILL if hard else signal.SIGTERM)
            try:
                self._process.wait(timeout=20)
            except subprocess.TimeoutExpired:
                self._process.kill()
                self._process.wait()
            self._process = None
        if not hard:
            (self.folder / "pid").unlink(missing_ok=True)

    def close(self) -> None:
        """Stop, and release the folder."""
        self.stop()
        if self._sockets is not None:
            shutil.rmtree(self._sockets, ignore_errors=True)
            self._sockets = None
        if self._lock is not None:
            self._lock.close()
            self._lock = None


@contextlib.contextmanager
def private_database(folder: Path) -> Iterator[PrivateDatabase]:
    """A running server on a folder, stopped at the end."""
    server = PrivateDatabase(folder)
    try:
        server.start()
        yield server
    finally:
        server.close()
