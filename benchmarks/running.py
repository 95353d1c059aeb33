"""A demo that runs on a data folder of its own, for benchmarks that treat the whole as a person, or a mishap, would."""

from __future__ import annotations

import os
import subprocess
import sys
import threading
from pathlib import Path

import psutil

from rhombos.launch.database import free_port

ROOT = Path(__file__).parents[1]


class Running:
    """A demo on a data folder of its own, with what it says."""

    def __init__(self, folder: Path) -> None:
        self.port = free_port()
        env = {k: v for k, v in os.environ.items() if k != "RHOMBOS_DATABASE_URL"}
        self.process = subprocess.Popen(
            [sys.executable, str(ROOT / "rhombos"), "demo"],
            stdout=subprocess.PIPE,
            stderr=subprocess.STDOUT,
            text=True,
            env=env | {"RHOMBOS_PORT": str(self.port), "RHOMBOS_DATA": str(folder)},
        )
        self.said: list[str] = []
        self._up = threading.Event()
        self._reader = threading.Thread(target=self._read, daemon=True)
        self._reader.start()

    def _read(self) -> None:
        assert self.process.stdout is not None
        for line in self.process.stdout:
            self.said.append(line.strip())
            if "Rhombos is at" in line:
                self._up.set()
        self._up.set()

    def wait(self) -> None:
        """Until it serves. Raises: RuntimeError if it ends instead."""
        self._up.wait(timeout=600)
        if self.process.poll() is not None:
            raise RuntimeError(" ".join(self.said))

    def again(self) -> int:
        """How often it said that something runs again."""
        return sum("runs again" in line for line in self.said)

    def child(self, name: str) -> psutil.Process | None:
        """Its server ('uvicorn') or database ('mariadbd'), while it runs."""
        for each in psutil.Process(self.process.pid).children():
            try:
                if any(name in word for word in each.cmdline()):
                    return each
            except psutil.Error:
                continue
        return None

    def stop(self) -> None:
        """Stop it."""
        self.process.terminate()
        self.process.wait(timeout=60)
        self._reader.join(timeout=10)
