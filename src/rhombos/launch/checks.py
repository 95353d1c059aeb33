"""Every check and test of the project, in the order in which they fail fastest."""

from __future__ import annotations

import subprocess
import sys
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from rhombos.launch.database import DEBIAN
from rhombos.launch.tools import ROOT, STATE, WEB, built_interface, debian, python_environment, say, web_packages

BROWSER = {"chromium": "chromium", "chromedriver": "chromium-driver"}
PROCESSES = 2
"""Checks, then tests, that run at once: of those, what shares a database, a server or a browser stays together."""
Check = tuple[str, list[str], Path]
"""Its name, its command, and the folder it runs in."""
SCHEMA = WEB / "src" / "api" / "schema.d.ts"


def generate_types(python: Path, env: dict[str, str], target: Path) -> None:
    """TypeScript types from the OpenAPI document."""
    document = STATE / "openapi.json"
    with document.open("w") as out:
        subprocess.run([str(python), "-m", "rhombos.cli", "openapi"], stdout=out, check=True, cwd=ROOT)
    subprocess.run(
        ["npx", "openapi-typescript", str(document), "-o", str(target), "--default-non-nullable=false"],
        cwd=WEB,
        env=env,
        check=True,
        stdout=subprocess.DEVNULL,
    )


def _drift(python: Path, env: dict[str, str]) -> bool:
    fresh = STATE / "schema.d.ts"
    generate_types(python, env, fresh)
    if fresh.read_text() == SCHEMA.read_text():
        return True
    print("the generated types differ from web/src/api/schema.d.ts; run ./rhombos types", file=sys.stderr)
    return False


def _checked(check: Check, env: dict[str, str]) -> tuple[str | None, float]:
    """What a check that failed printed, None of one that passed; and the seconds that it took."""
    _, command, cwd = check
    began = time.monotonic()
    done = subprocess.run(command, cwd=cwd, env=env, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True)
    return done.stdout if done.returncode else None, time.monotonic() - began


def test(arguments: list[str]) -> int:
    """Run the checks, then pytest, whose closing line comes last. Returns: 0 only if all passed."""
    debian(DEBIAN | BROWSER)
    python = python_environment(dev=True)
    env = web_packages(python)
    built_interface(python)
    tool = python.parent
    failed: list[str] = []
    checks: list[Check] = [
        ("ruff", [str(tool / "ruff"), "check", "src", "tests", "benchmarks", "docs"], ROOT),
        ("ruff format", [str(tool / "ruff"), "format", "--check", "src", "tests", "benchmarks", "docs"], ROOT),
        ("import-linter", [str(tool / "lint-imports"), "--no-cache"], ROOT),
        ("mypy", [str(tool / "mypy")], ROOT),
        ("TypeScript", ["npx", "tsc", "--noEmit"], WEB),
        ("ESLint", ["npx", "eslint", ".", "--max-warnings", "0"], WEB),
        ("Prettier", ["npx", "prettier", "--check", "--log-level", "warn", "."], WEB),
        ("Vitest", ["npx", "vitest", "run"], WEB),
    ]
    if not arguments:
        with ThreadPoolExecutor(PROCESSES) as lanes:
            for (name, *_), (told, seconds) in zip(checks, lanes.map(lambda c: _checked(c, env), checks), strict=True):
                say(f"{name}: {'ok' if told is None else 'FAILED'} ({seconds:.0f} s)")
                if told is not None:
                    print(told, flush=True)
                    failed.append(name)
        ok = _drift(python, env)
        say(f"generated types: {'ok' if ok else 'FAILED'}")
        if not ok:
            failed.append("generated types")
    if not any(a.startswith("-n") or a == "-x" for a in arguments):
        arguments = ["-n", str(PROCESSES), "--dist", "loadgroup", *arguments]
    tested = subprocess.run([str(python), "-m", "pytest", *arguments], cwd=ROOT, env=env | {"PYTHONDONTWRITEBYTECODE": "1"})
    if failed:
        print(f"failed: {', '.join(failed)}", file=sys.stderr, flush=True)
    return tested.returncode or (1 if failed else 0)


def types() -> int:
    """Regenerate the TypeScript types."""
    python = python_environment(dev=False)
    generate_types(python, web_packages(python), SCHEMA)
    return 0


def bench() -> int:
    """Run the benchmarks."""
    debian(DEBIAN | BROWSER)
    python = python_environment(dev=True)
    built_interface(python)
    return subprocess.run([str(python), "-m", "benchmarks.run"], cwd=ROOT).returncode


def sweep(arguments: list[str]) -> int:
    """Hold random briefs over every route against what must always hold."""
    python = python_environment(dev=True)
    return subprocess.run([str(python), "-m", "benchmarks.sweep", *arguments], cwd=ROOT).returncode
