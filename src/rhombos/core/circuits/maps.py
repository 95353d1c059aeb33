"""What keeps heat and voltages where they belong: a device on its heat-sink in the case; which side is which, what crosses."""

from __future__ import annotations

from rhombos.core.frame.circuit import Circuit, Label, Shape, Side, Words, box


def heat(words: Words) -> Circuit:
    """A device on its pad and heat-sink in the case: what carries the heat out, and what keeps the voltage in."""
    closed, padded = words["case"] == "closed", not words["pad"].startswith("none")
    whole = HEAT + Circuit(
        shapes=(
            Shape(d=box(20, 16, 290, 164), dashed="" if closed else "30 6", width=1.6),
            Shape(d=box(98, 90, 108, 8), fill="steel.soft" if padded else "none", width=1),
        )
    )
    if words["sink"].startswith("earthed"):
        whole += Circuit(wires=("M224 107H290V166M278 166H302M283 170H297M288 174H292",))
    if words["case"] == "blown through":
        wind = "".join(f"M{x} {y}c14 -8 22 8 36 0" for y in (146, 158) for x in (30, 244))
        whole += Circuit(shapes=(Shape(d=wind, tone="steel", width=1.6),))
    return whole


HEAT = Circuit(
    wires=("M80 98H224V116H80ZM92 116V156M112 116V156M132 116V156M152 116V156M172 116V156M192 116V156M212 116V156",),
    labels=(
        Label(name="{case}", value="+{rise} above {room}", x=26, y=34),
        Label(value="device", x=152, y=82, at="middle"),
        Label(name="{pad}", x=202, y=72),
        Label(name="heat-sinks", value="{sink}", x=324, y=118),
        Label(name="made inside", value="{inside}", x=324, y=40),
        Label(name="pad must stand", value="{proof}", x=324, y=78),
        Label(name="compound", value="{compound}", x=324, y=156),
    ),
    shapes=(Shape(d=box(110, 66, 84, 24), fill="copper.soft"),),
)


def _island(x: float, y: float, width: float, height: float, name: str, value: str) -> Circuit:
    """What has one reference potential."""
    return Circuit(
        labels=(Label(name=name, value=value, x=x + width / 2, y=y + height / 2 - 3, at="middle"),),
        shapes=(Shape(d=box(x, y, width, height), fill="sheet", width=1.5),),
    )


def _way(d: str, x: float, y: float, label: str, through: bool, at: Side = "middle") -> Circuit:
    """From island to island: kept by a rated part, or open."""
    return Circuit(
        labels=(Label(value=label, x=x, y=y, at=at, tone="stop" if through else "soft"),),
        shapes=(
            Shape(d=d, tone="stop" if through else "soft", dashed="" if through else "5 3", width=2.2 if through else 1.3),
        ),
    )


def isolation(words: Words) -> Circuit:
    """Which side is which, and what crosses: dashed where a rated part keeps them apart, a full red line where nothing does."""
    through, gates, bonded = set(words["open"].split()), bool(words["gates"]), words["output"] == "one pole earthed"
    beyond, bare = bool(words["beyond"]), words["beyond"] == "source"
    whole = ISLANDS + _island(14, 52, 118, 50, "{fed} side", "{source}") + _island(338, 96, 114, 44, "socket", "{peak}")
    if beyond:
        name = "bridge, on the {fed}" if bare else "link and bridge" if gates else "link"
        whole += _island(300, 12, 152, 44, name, "{link}") + Circuit(wires=("M376 56V96M398 56V96",))
    if bare:
        whole += Circuit(
            wires=("M132 62H170V24H300", "M132 74H184V44H300"), labels=(Label(name="no barrier", x=218, y=18, at="middle"),)
        )
    elif beyond:
        whole += _way("M132 62H170V22H300", 216, 16, "transformer", False)
        whole += _way("M132 72H184V38H300", 242, 34, "feedback", "link-feedback" in through)
        if gates:
            whole += _way("M132 80H198V54H300", 248, 50, "gates", "bridge-gates" in through)
    else:
        whole += _way("M132 62H360V96", 244, 56, "transformer", False)
    if not bare:
        whole += _way("M132 92H232V110H338", 236, 104, "output sense", "output-sense" in through, "start")
    if words["output"] == "a pole on the source":
        whole += _way("M132 98H150V132H338", 200, 128, "a pole tied", True, "start")
    whole += _way("M58 102V148H140V176", 62, 144, "shut-down input", "shut-down-input" in through, "start")
    whole += _way("M40 102V168H124", 36, 166, "case", "case" in through, "end")
    bond = "no bond" if not bonded else "bond, RCD" if gates and not bare else "bond"
    whole += _way("M392 140V176H340", 400, 162, bond, bare and bonded and "socket" in through, "start")
    probed = "oscilloscope" in through
    on = "M330 56V160H280V176" if beyond else "M352 140V160H280V176"
    ground = "no probe ground" if words["clip"].startswith("nowhere") else "probe ground"
    return whole + _way(
        on if probed else "M96 102V122H280V176",
        *((286, 158, ground, True, "start") if probed else (274, 160, ground, False, "end")),
    )


ISLANDS = Circuit(wires=("M120 176H340M206 182H254M218 187H242",), labels=(Label(name="earth", x=112, y=180, at="end"),))
