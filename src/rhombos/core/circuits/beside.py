"""What lies beside the path: controller, precharge, the input's cut-off, the potentiometer of a setting."""

from __future__ import annotations

from rhombos.core.frame.circuit import Circuit, Element, Label, Place, Shape, Words, box, places


def controller(words: Words) -> Circuit:
    """Timing, amplifier and both outputs on the source's side; the link's divider beyond the barrier, where the
    link is held."""
    if words["feedback"] == "none":
        return CONTROLLER
    whole = CONTROLLER + (BARE if words["feedback"] == "bare divider" else COUPLED)
    if words["zeners"]:
        return whole + ZENERS
    return whole + (SPAN if words["span"] else FIXED)


CONTROLLER = Circuit(
    elements=(
        Element(
            symbol="resistor",
            part="timing_resistor",
            name="{timing}",
            value="{trimmer}",
            x=100,
            y=76,
            turn=90,
            label=Place(x=84, y=88),
            at="end",
        ),
        Element(
            symbol="capacitor",
            part="timing_capacitor",
            name="{capacitor}",
            value="",
            x=100,
            y=124,
            turn=90,
            label=Place(x=84, y=140),
            at="end",
        ),
    ),
    wires=(
        "M130 70H100M100 70V76M100 116V124M100 148V172M60 172H300M130 140H112",
        "M266 56H286M266 76H286",
    ),
    nodes=places((100, 70)),
    terminals=places((60, 172)),
    labels=(
        Label(name="controller", value="outputs {output}", x=198, y=52, at="middle"),
        Label(name="{oscillator}", value="oscillator", x=62, y=36, at="middle"),
        Label(value="gates", x=276, y=46),
        Label(value="trips at {trip}", x=198, y=150, at="middle"),
    ),
    shapes=(
        Shape(d=box(130, 30, 136, 132), width=1.5),
        Shape(d="m280 52 6 4-6 4M280 72l6 4-6 4"),
    ),
)
BARE = Circuit(wires=("M266 118H364",))
COUPLED = Circuit(
    wires=("M266 118H296M340 118H364",),
    labels=(Label(value="opto", x=318, y=122, at="middle"), Label(value="barrier", x=310, y=189, at="end")),
    shapes=(
        Shape(d="M318 8V184", tone="stop", dashed="6 4"),
        Shape(d=box(296, 104, 44, 28), fill="paper"),
    ),
)


def _divider(node: float, top: float, bottom: float, end: float) -> Circuit:
    """The link's divider, its tap at a height, its resistors from theirs, its lower end at another."""
    return Circuit(
        elements=(
            Element(symbol="resistor", ref="R4", value="{top}", x=388, y=top, turn=90, label=Place(x=404, y=top + 16)),
            Element(symbol="resistor", ref="R5", value="{bottom}", x=388, y=bottom, turn=90, label=Place(x=404, y=bottom + 16)),
        ),
        wires=(f"M364 118V{node}H388", f"M388 17V{top}M388 {top + 40}V{bottom}M388 {bottom + 40}V{end}"),
        nodes=places((388, node)),
        terminals=places((388, 14)),
        labels=(Label(name="{setpoint}", value="link", x=404, y=18),),
    )


FIXED = _divider(118, 48, 126, 184)
SPAN = _divider(90, 36, 96, 188) + Circuit(
    elements=(Element(symbol="resistor", ref="RP3", value="{span}", x=388, y=142, turn=90, label=Place(x=408, y=166)),),
    shapes=(Shape(d="M372 176L404 150M404 150l-7 1M404 150l-3 6"),),
)
ZENERS = Circuit(
    elements=(Element(symbol="diode", x=388, y=84, turn=-90),),
    wires=("M388 17V184", "M364 118H388"),
    nodes=places((388, 118)),
    terminals=places((388, 14)),
    labels=(
        Label(name="{setpoint}", value="link", x=404, y=18),
        Label(name="zeners", value="{zeners}", x=404, y=60),
        Label(value="{last_zener}", x=404, y=90),
    ),
)


def precharge(words: Words) -> Circuit:
    """Source, both contactors, the resistor beside the positive one, the bank, and what draws meanwhile."""
    switched, never = words["school"] == "switched", words["time"] == "never"
    late = Label(
        name="never there" if never else "there in",
        value="draws: {load}" if never else "{time}",
        x=396,
        y=118,
        tone="stop" if never else "ink",
    )
    return PRECHARGE + (RELAYED if switched else STRAIGHT) + Circuit(labels=(late,))


PRECHARGE = Circuit(
    elements=(
        Element(symbol="contact", x=150, y=60),
        Element(symbol="contact", x=150, y=156),
        Element(symbol="resistor", name="{resistor}", value="", x=196, y=24, label=Place(x=216, y=14), at="middle"),
        Element(symbol="electrolytic", x=290, y=96, turn=90),
    ),
    wires=("M50 60H150M190 60H330M50 156H150M190 156H330", "M290 60V96M290 120V156"),
    nodes=places((120, 60), (262, 60), (290, 60), (290, 156)),
    terminals=places((47, 60), (47, 156)),
    labels=(
        Label(value="{source}", x=47, y=112, at="middle"),
        Label(value="positive", x=170, y=82, at="middle"),
        Label(value="negative", x=170, y=178, at="middle"),
        Label(value="{type}", x=272, y=28),
        Label(name="stage", x=360, y=104, at="middle"),
        Label(name="closes", value="{closes}", x=396, y=80),
    ),
    shapes=(Shape(d=box(330, 48, 60, 120), dashed="4 3", width=1.5),),
)
RELAYED = Circuit(
    elements=(Element(symbol="contact", x=136, y=24),),
    wires=("M120 60V24H136M176 24H196M236 24H262V60",),
    labels=(Label(value="relay", x=128, y=14, at="end"),),
)
STRAIGHT = Circuit(wires=("M120 60V24H196M236 24H262V60",))

CUT_OFF = Circuit(
    elements=(
        Element(symbol="resistor", ref="R1", part="top", x=70, y=30, turn=90, label=Place(x=84, y=46)),
        Element(symbol="resistor", ref="R2", part="bottom", x=70, y=92, turn=90, label=Place(x=84, y=108)),
        Element(
            symbol="resistor", part="trimmer", name="{trimmer}", value="{turn}", x=70, y=142, turn=90, label=Place(x=92, y=158)
        ),
        Element(symbol="resistor", ref="R3", part="hold", x=228, y=36, label=Place(x=314, y=36)),
    ),
    wires=(
        "M70 20V30M70 70V92M70 132V142M70 182V188",
        "M82 172L54 152M54 152l7 1M54 152l3 6",
        "M58 188H82M63 191H77M67 194H73",
        "M70 82H222M190 112H222",
        "M282 97H330",
        "M190 82V36H228M268 36H306V97",
    ),
    nodes=places((70, 82), (190, 82), (306, 97)),
    labels=(
        Label(value="input", x=70, y=14, at="middle"),
        Label(value="+", x=228, y=87),
        Label(value="−", x=228, y=117),
        Label(value="2.5 V", x=186, y=116, at="end"),
        Label(name="runs above", value="{restart}", x=336, y=84),
        Label(name="off below", value="{cut_off}", x=336, y=118),
        Label(value="{band}", x=336, y=150),
    ),
    shapes=(Shape(d="M222 68V126L282 97Z", width=1.5),),
)
"""The tap with its trimmer, a comparator against the reference, the resistor that gives it hysteresis."""

SETTING = Circuit(
    elements=(
        Element(symbol="resistor", ref="RP1", part="potentiometer", x=150, y=50, turn=90, label=Place(x=134, y=66), at="end"),
        Element(symbol="resistor", ref="R1", part="end", x=150, y=112, turn=90, label=Place(x=134, y=128), at="end"),
    ),
    wires=("M150 33V50M150 90V112M150 152V170M126 170H174M134 175H166M142 180H158", "M157 70H290M157 70l6 -4M157 70l6 4"),
    terminals=places(
        (150, 30),
    ),
    labels=(
        Label(name="{high}", value="reference", x=168, y=32),
        Label(name="set-point", value="of index or width", x=300, y=67),
        Label(name="{low}", value="turned down", x=168, y=108),
    ),
)
"""A potentiometer across the reference, and what stops it below."""
