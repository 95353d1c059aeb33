"""The programs in docs that write pages from the code."""

import importlib.util
import sys
from pathlib import Path
from types import ModuleType

DOCS = Path(__file__).parents[2] / "docs"


def writer(name: str) -> ModuleType:
    """One of them, as a module."""
    spec = importlib.util.spec_from_file_location(f"{name}_page", DOCS / f"{name}.py")
    assert spec
    assert spec.loader
    module = importlib.util.module_from_spec(spec)
    sys.modules[spec.name] = module
    spec.loader.exec_module(module)
    return module
