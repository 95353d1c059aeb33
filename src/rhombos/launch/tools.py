"""Installing what is missing: Debian packages, the Python environment, the web packages, the built interface."""

from __future__ import annotations

import contextlib
import ctypes
import fcntl
import hashlib
import os
import re
import shutil
import signal
import subprocess
import sys
from collections.abc import Iterable, Iterator, Sequence
from pathlib import Path

ROOT = Path(__file__).resolve().parents[3]
STATE = ROOT / ".rhombos"
VENV = ROOT / ".venv"
WEB = ROOT / "web"
LEAST_NODE = (20, 19)
LEAST_PYTHON = (3, 11)


class Trouble(Exception):
    """Something that the user must put right, told in one line."""


def die_with_parent() -> None:
    """Run in a child before it starts: it ends when whoever started it does, even if that one is killed."""
    ctypes.CDLL(None).prctl(1, signal.SIGTERM)  # PR_SET_PDEATHSIG
    signal.pthread_sigmask(signal.SIG_UNBLOCK, [signal.SIGTERM, signal.SIGINT])
    os.setsid()


def say(text: str) -> None:
    """One line to the user, at once."""
    print(text, flush=True)


def run(command: Sequence[str], what: str, *, cwd: Path = ROOT, quiet: bool = True, env: dict[str, str] | None = None) -> None:
    """Run a command; its output goes to a log, shown only in part when it fails. Raises: Trouble."""
    STATE.mkdir(exist_ok=True)
    if not quiet:
        if subprocess.run(command, cwd=cwd, env=env).returncode:
            raise Trouble(f"{what} failed")
        return
    log, own = STATE / "setup.log", STATE / f"setup-{os.getpid()}.log"  # another set-up of this checkout may run meanwhile
    with own.open("w") as out:
        code = subprocess.run(command, cwd=cwd, stdout=out, stderr=subprocess.STDOUT, stdin=subprocess.DEVNULL, env=env)
    text = own.read_text(errors="replace")
    own.replace(log)
    if code.returncode:
        raise Trouble(f"{what} failed: {_reason(text)} (all of it in {log.relative_to(ROOT)})")


def server_command(python: Path, port: int) -> list[str]:
    """What starts the server on a port of this machine; the database it is told by RHOMBOS_DATABASE_URL."""
    options = f"--factory rhombos.api.app:create_app --host 127.0.0.1 --port {port} --log-level warning --no-server-header"
    return [str(python), "-m", "uvicorn", *options.split()]


def _reason(text: str) -> str:
    for pattern, told in (
        (r"No space left on device|ENOSPC", "the disk is full"),
        (
            r"Temporary failure|Could not resolve|ENOTFOUND|EAI_AGAIN|ECONNREFUSED|ETIMEDOUT|NewConnectionError",
            "the package registry cannot be reached; check the network",
        ),
        (r"Permission denied|EACCES", "permission denied; run it as the owner of this folder"),
    ):
        if re.search(pattern, text):
            return told
    lines = [line.strip() for line in text.splitlines() if line.strip()]
    return lines[-1][:200] if lines else "it printed nothing"


@contextlib.contextmanager
def alone(name: str) -> Iterator[None]:
    """Hold a lock of this checkout, so that two set-ups do not trip over each other; the second waits."""
    STATE.mkdir(exist_ok=True)
    with (STATE / f"{name}.lock").open("w") as handle:
        fcntl.flock(handle, fcntl.LOCK_EX)
        yield


def digest(paths: Iterable[Path]) -> str:
    """A fingerprint of files and of all below folders."""
    found = hashlib.sha256()
    for path in sorted(paths):
        for file in sorted(p for p in ([path] if path.is_file() else path.rglob("*")) if p.is_file()):
            found.update(str(file.relative_to(ROOT)).encode() + b"\0" + file.read_bytes())
    return found.hexdigest()


def _stamped(name: str, value: str) -> bool:
    stamp = STATE / f"{name}.stamp"
    return stamp.is_file() and stamp.read_text() == value


def _stamp(name: str, value: str) -> None:
    (STATE / f"{name}.stamp").write_text(value)


def debian(wanted: dict[str, str]) -> None:
    """Install Debian packages whose command is not there: command → package. Raises: Trouble."""
    path = os.environ.get("PATH", "") + ":/usr/sbin:/sbin"
    missing = [package for command, package in wanted.items() if not shutil.which(command, path=path)]
    if missing:
        _apt(missing)


def _apt(packages: list[str]) -> None:
    if not shutil.which("apt-get"):
        raise Trouble(f"{', '.join(packages)} is missing and this is not Debian; install it by hand")
    prefix = [] if os.geteuid() == 0 else ["sudo", "-n"]
    if prefix and (not shutil.which("sudo") or subprocess.run([*prefix, "true"], capture_output=True).returncode):
        raise Trouble(f"missing: {', '.join(packages)}; run: sudo apt-get install {' '.join(packages)}")
    say(f"installing {', '.join(packages)} from Debian …")
    env = os.environ | {"DEBIAN_FRONTEND": "noninteractive"}
    run([*prefix, "apt-get", "update", "-q"], "apt-get update", env=env)
    run([*prefix, "apt-get", "install", "-y", "-q", "--no-install-recommends", *packages], "apt-get install", env=env)


def _python() -> str:
    """Debian's interpreter where it will do (it is built for speed), else the one running now."""
    debian_python = Path("/usr/bin/python3")
    if debian_python.exists() and _usable(str(debian_python), "sys.version_info >= (3, 11)"):
        if not _usable(str(debian_python), "__import__('ensurepip')"):
            with contextlib.suppress(Trouble):
                _apt(["python3-venv"])
        if _usable(str(debian_python), "__import__('ensurepip')"):
            return str(debian_python)
    if _usable(sys.executable, "__import__('ensurepip')"):
        return sys.executable
    raise Trouble("Python 3.11 or newer with its venv module is needed; run: sudo apt-get install python3-venv")


def _usable(interpreter: str, condition: str) -> bool:
    """Whether an interpreter can evaluate a condition to something true."""
    try:
        asked = [interpreter, "-c", f"import sys; sys.exit(not ({condition}))"]
        return subprocess.run(asked, capture_output=True, timeout=60).returncode == 0
    except (OSError, subprocess.TimeoutExpired):
        return False


def _holds(python: Path, files: list[Path]) -> bool:
    """Whether an environment's interpreter runs and every pinned package is there in its version."""
    pinned = dict(re.findall(r"^([\w.-]+)==([^\s;]+)", "".join(f.read_text() for f in files), re.MULTILINE))
    return _usable(
        str(python),
        f"__import__('importlib.metadata') and all("
        f"sys.modules['importlib.metadata'].version(n) == v for n, v in {pinned!r}.items())",
    )


def python_environment(*, dev: bool) -> Path:
    """The virtual environment with the pinned packages. Returns: its interpreter. Raises: Trouble."""
    python = VENV / "bin" / "python"
    files = [ROOT / "requirements.txt", ROOT / "requirements-dev.txt"]
    if not dev and not _stamped("python-dev", digest(files)):  # what tests need holds what runs, too
        files = files[:1]
    kept, value = ("python-dev" if len(files) == 2 else "python"), digest(files)
    with alone("setup"):
        if _stamped(kept, value) and _holds(python, files):
            return python
        if sys.version_info < LEAST_PYTHON:
            raise Trouble("Python 3.11 or newer is needed")
        say("installing the Python packages …")
        if not (_usable(str(python), "sys.version_info >= (3, 11)") and (VENV / "bin" / "pip").exists()):
            shutil.rmtree(VENV, ignore_errors=True)
            run([_python(), "-m", "venv", str(VENV)], "making the Python environment")
        pip = [str(python), "-m", "pip", "install", "--quiet", "--disable-pip-version-check", "--require-hashes"]
        run([*pip, *(x for f in files for x in ("-r", str(f)))], "pip install")
        site = subprocess.run(
            [str(python), "-c", "import sysconfig; print(sysconfig.get_path('purelib'))"],
            capture_output=True,
            text=True,
            check=True,
        ).stdout.strip()
        (Path(site) / "rhombos.pth").write_text(str(ROOT / "src") + "\n")
        _stamp(kept, value)
    return python


def _node(python: Path) -> dict[str, str]:
    """An environment whose PATH finds Node 20.19 or newer: the system's, else one from PyPI."""
    probe = subprocess.run(["node", "--version"], capture_output=True, text=True) if shutil.which("node") else None
    if probe and shutil.which("npm"):
        found = re.match(r"v(\d+)\.(\d+)", probe.stdout)
        if found and tuple(map(int, found.groups())) >= LEAST_NODE:
            return dict(os.environ)
    if not (VENV / "bin" / "node").exists():
        say("installing Node from PyPI …")
        run([str(python), "-m", "pip", "install", "--quiet", "-r", str(ROOT / "requirements-node.txt")], "pip install")
    return os.environ | {"PATH": f"{VENV / 'bin'}:{os.environ.get('PATH', '')}"}


def web_packages(python: Path) -> dict[str, str]:
    """Install the web packages if the lock changed. Returns: the environment that runs them. Raises: Trouble."""
    env = _node(python)
    value = digest([WEB / "package-lock.json", WEB / "package.json"])
    with alone("setup"):
        if not ((WEB / "node_modules" / "vite").is_dir() and _stamped("npm", value)):
            say("installing the web packages …")
            run(["npm", "ci", "--no-audit", "--no-fund"], "npm ci", cwd=WEB, env=env)
            _stamp("npm", value)
    return env


def built_interface(python: Path) -> None:
    """Build the interface if its sources changed. Raises: Trouble."""
    sources = [WEB / n for n in ("src", "index.html", "package-lock.json", "vite.config.ts", "tsconfig.json")]
    value = digest(sources)
    if (WEB / "dist" / "index.html").exists() and _stamped("web", value):
        return
    env = web_packages(python)
    with alone("build"):
        say("building the interface …")
        run(["npm", "run", "build"], "building the interface", cwd=WEB, env=env)
        _stamp("web", value)
