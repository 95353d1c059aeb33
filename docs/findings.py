"""Writes docs/findings.md: every finding that the code can raise, read from the code itself."""

from __future__ import annotations

import ast
import sys
from dataclasses import dataclass, field
from pathlib import Path

ROOT = Path(__file__).parents[1]
CORE = ROOT / "src" / "rhombos" / "core"
OUT = ROOT / "docs" / "findings.md"
MEASURED = ("limited", "fixed")


@dataclass
class Rule:
    """One finding as the code states it."""

    code: str
    title: str
    severity: str
    limit: str
    remedy: str
    cures: list[str] = field(default_factory=list)


def words(node: ast.expr | None) -> str:
    """The text of a string, what is put in shown as an ellipsis."""
    if isinstance(node, ast.Constant) and isinstance(node.value, str):
        return node.value
    if isinstance(node, ast.JoinedStr):
        return "".join(words(v) if isinstance(v, ast.Constant) else "…" for v in node.values)
    if isinstance(node, ast.BinOp) and isinstance(node.op, ast.Add):
        return words(node.left) + words(node.right)
    if isinstance(node, ast.IfExp):
        return f"{words(node.body)} / {words(node.orelse)}".strip(" /")
    return "…"


def severity(node: ast.expr, graves: dict[str, ast.expr]) -> str:
    """The severity, or that it follows from the stress: beyond the rating stop, inside the house's margin fix. `graves`: those
    that a function keeps under a name."""
    if isinstance(node, ast.Name) and node.id in graves:
        node = graves[node.id]
    if isinstance(node, ast.Constant):
        return str(node.value)
    if isinstance(node, ast.IfExp):
        return f"{severity(node.body, graves)} or {severity(node.orelse, graves)}"
    return "stop beyond the rating, fix inside the margin"


def keyword(call: ast.Call, name: str) -> ast.expr | None:
    """A keyword argument of a call."""
    return next((k.value for k in call.keywords if k.arg == name), None)


def plain(node: ast.expr) -> str:
    """An expression as a short name."""
    return ast.unparse(node).replace("sheet.", "").replace("self.", "")


def stresses(tree: ast.AST) -> dict[str, str]:
    """What each measured stress of a module is held against: its title, its rating, its margin."""
    found: dict[str, str] = {}
    for node in ast.walk(tree):
        if not (isinstance(node, ast.Assign) and isinstance(node.targets[0], ast.Name)):
            continue
        call = node.value.body if isinstance(node.value, ast.IfExp) else node.value
        if not (isinstance(call, ast.Call) and isinstance(call.func, ast.Attribute) and call.func.attr in MEASURED):
            continue
        at = 4 if call.func.attr == "limited" else 5
        rating = plain(call.args[at]) if len(call.args) > at else "…"
        margin = plain(call.args[at + 1]) if len(call.args) > at + 1 else "0"
        less = "" if margin in ("0", "0.0") else f" less `{margin}`"
        found[node.targets[0].id] = f"{words(call.args[2]).lower()} against `{rating}`{less}"
    return found


def labels(node: ast.expr | None, names: dict[str, str]) -> list[str]:
    """The labels of the cures; those kept under a name are looked up."""
    if node is None:
        return []
    told = [label for n in ast.walk(node) if (label := cure(n))]
    told += [names[n.id] for n in ast.walk(node) if isinstance(n, ast.Name) and n.id in names]
    return list(dict.fromkeys(told))


def cure(node: object) -> str:
    """The label of a cure: the first of a pair that begins with a capital; else nothing."""
    if not isinstance(node, ast.Tuple) or len(node.elts) != 2 or isinstance(node.elts[0], ast.Tuple):
        return ""
    told = words(node.elts[0])
    return told if told[:1].isupper() else ""


def named_cures(tree: ast.AST) -> dict[str, str]:
    """Cures that a module keeps under a name."""
    found: dict[str, str] = {}
    for node in ast.walk(tree):
        if not isinstance(node, ast.Assign | ast.AnnAssign):
            continue
        target = node.targets[0] if isinstance(node, ast.Assign) else node.target
        value = node.value
        while isinstance(value, ast.Tuple) and value.elts and isinstance(value.elts[0], ast.Tuple):
            value = value.elts[0]
        if isinstance(target, ast.Name) and (label := cure(value)):
            found[target.id] = label
    return found


def block_of(path: Path, tree: ast.Module) -> str:
    """The block whose findings a module raises."""
    for node in tree.body:
        if isinstance(node, ast.AnnAssign) and ast.unparse(node.target) == "KEY" and isinstance(node.value, ast.Call):
            return words(node.value.args[0])
    shared = {
        "gate_drive_report": "bridge_drive, front_drive",
        "surge": "front_end, h_bridge",
        "wound": "rectifier, output_filter",
        "input_report": "input_stage",
        "high_frequency": "hf_socket, hf_output",
    }
    return shared.get(path.stem, path.stem.removesuffix("_report"))


def rules_of(path: Path) -> list[Rule]:
    """Every finding that a module can raise."""
    tree = ast.parse(path.read_text())
    measured, block = stresses(tree), block_of(path, tree)
    found: list[Rule] = []
    calls: list[tuple[ast.Call, dict[str, str], dict[str, ast.expr]]] = []
    for function in (f for f in ast.walk(tree) if isinstance(f, ast.FunctionDef)):  # a name for a cure is one function's own
        inside = list(ast.walk(function))
        named = named_cures(function)
        graves = {
            n.target.id: n.value
            for n in inside
            if isinstance(n, ast.AnnAssign) and isinstance(n.target, ast.Name) and n.value is not None
        }
        calls += [(node, named, graves) for node in inside if isinstance(node, ast.Call)]
    for node, named, graves in calls:
        if isinstance(node.func, ast.Attribute) and node.func.attr == "find" and len(node.args) >= 5:
            code, how, title, _, remedy = node.args[:5]
            worst, figure = keyword(node, "worst"), keyword(node, "figure")
            limit = measured.get(plain(worst), "") if worst is not None else ""
            if not limit and figure is not None:
                limit = f"the figure `{words(figure)}`"
            found.append(
                Rule(
                    f"{block}.{words(code)}",
                    words(title),
                    severity(how, graves),
                    limit or "what the cause states",
                    words(remedy),
                    labels(keyword(node, "cures"), named),
                )
            )
        elif isinstance(node.func, ast.Name) and node.func.id == "Finding" and (code := keyword(node, "code")) is not None:
            if words(code) == "…":
                continue
            how = keyword(node, "severity") or ast.Constant("note")
            found.append(
                Rule(
                    words(code),
                    words(keyword(node, "title")),
                    severity(how, graves),
                    "what the cause states",
                    words(keyword(node, "remedy")),
                    labels(keyword(node, "cures"), named),
                )
            )
    return found


def every_rule() -> list[Rule]:
    """All of them, by code."""
    found = [r for path in sorted(CORE.rglob("*.py")) for r in rules_of(path)]
    return sorted({r.code: r for r in found}.values(), key=lambda r: r.code)


def page() -> str:
    """The page as Markdown."""
    rules = every_rule()
    lines = [
        "# Findings",
        "",
        f"Every finding that Rhombos can raise, {len(rules)} in all, read from the code by `docs/findings.py`. *Stop* breaks "
        "parts or hurts people, *fix* is beyond what the house allows, *watch* is worth knowing before the build, *note* is "
        "worth knowing. Where a severity follows from the stress, beyond the rating is a stop and inside the house's margin a "
        "fix. A finding may be waived with a written reason, which stays in the design's record.",
        "",
    ]
    block = ""
    for r in rules:
        head = r.code.rpartition(".")[0]
        if head != block:
            block = head
            lines += [
                "",
                f"## {block.replace('_', ' ')}",
                "",
                "| code | what it guards | severity | held against | remedy | cures |",
                "|---|---|---|---|---|---|",
            ]
        cells = (
            f"`{r.code.rpartition('.')[2]}`",
            r.title,
            r.severity,
            r.limit,
            r.remedy,
            "; ".join(r.cures) or "none by a pin",
        )
        lines.append("| " + " | ".join(c.replace("|", "/") for c in cells) + " |")
    return "\n".join(lines) + "\n"


if __name__ == "__main__":
    if "--check" in sys.argv:
        sys.exit(0 if OUT.read_text() == page() else "docs/findings.md is not what the code raises: run docs/findings.py")
    OUT.write_text(page())
