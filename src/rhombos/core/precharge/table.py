"""The sequence as a state table, and as portable C that a small controller runs every few milliseconds.

Both measure the source: the bus must reach a share of what the source has now, so that a half-charged one starts too.
"""

from __future__ import annotations

import csv
import io

from rhombos.core.blocks.precharge import SWITCHED, PrechargeBuild, PrechargeNeed

RUNS_ABOVE = 0.85
"""Share of the source that the bus keeps while it runs: below it the contactor has opened, or the bus is overloaded."""
SOURCE_LEAST = 0.5
"""Share of the highest source below which a reading of it is not believed."""
FALLS_FOR = 0.02
"""How long the running bus may lie below, s: a dip at a load step is no fault."""


def _rows(need: PrechargeNeed, build: PrechargeBuild) -> list[tuple[str, ...]]:
    switched = build.school == SWITCHED
    relay = "1" if switched else "0"
    closes, empty = f"{build.close_at:.4g} of the source", f"{build.empty_below:.4g} of the source"
    least, joined = f"{SOURCE_LEAST * need.volts:.4g} V", f"after {build.joins:g} s"
    late = [
        (f"after {build.timeout:g} s, try before the last", "REST"),
        (f"after {build.timeout:g} s, try {build.tries}", "LOCKED"),
    ]
    if not switched:  # the resistor cannot be switched off: a try is all there is
        late = [(f"after {build.timeout:g} s", "LOCKED")]
    rows: list[tuple[str, ...]] = [
        ("OFF", "0", "0", "0", "0", "start asked", "CONTROL"),
        ("CONTROL", "1", "0", "0", "0", f"after {build.wakes:g} s and source > {least}", "NEGATIVE"),
        *([("NEGATIVE", "1", "1", "0", "0", f"{joined}, first try and bus > {empty}", "LOCKED")] if switched else []),
        ("NEGATIVE", "1", "1", "0", "0", joined, "PRECHARGE"),
        ("PRECHARGE", "1", "1", relay, "0", f"bus >= {closes}", "CLOSE"),
        *(("PRECHARGE", "1", "1", relay, "0", when, to) for when, to in late),
        ("CLOSE", "1", "1", relay, "1", f"after {build.closing:g} s", "RELEASE"),
        ("RELEASE", "1", "1", "0", "1", f"after {build.releasing:g} s", "RUN"),
        ("RUN", "1", "1", "0", "1", f"bus < {RUNS_ABOVE:g} of the source for {FALLS_FOR:g} s", "LOCKED"),
        *([("REST", "1", "0", "0", "0", f"after {build.rest:g} s", "NEGATIVE")] if switched else []),
        ("LOCKED", "1", "0", "0", "0", "reset by a person", "OFF"),
        ("any but LOCKED", "", "", "", "", "stop asked", "OFF"),
    ]
    return rows


def state_table_csv(need: PrechargeNeed, build: PrechargeBuild) -> str:
    """Each state with what is on in it, what ends it, and where it goes; the first row that holds counts."""
    head = ("state", "supply", "negative", "relay", "positive", "when", "to")
    out = io.StringIO()
    csv.writer(out, lineterminator="\n").writerows((head, *_rows(need, build)))
    return out.getvalue()


def state_table_c(need: PrechargeNeed, build: PrechargeBuild) -> str:
    """The same as C99 without a library: call `precharge_step` every few milliseconds with what is measured."""
    switched = int(build.school == SWITCHED)
    return f"""/* Precharge sequence. Call precharge_step() every few milliseconds; drive supply and coils from what it returns.
   Start in {{ OFF, 0, 0 }}. A lock-out ends only with `reset`, which a person gives. */
#include <stdint.h>

enum precharge_state {{ OFF, CONTROL, NEGATIVE, PRECHARGE, CLOSE, RELEASE, RUN, REST, LOCKED }};

struct precharge {{ enum precharge_state state; uint32_t since_ms; uint8_t tries; }};
struct precharge_seen {{ int32_t source_mv, bus_mv; uint8_t start, reset; uint32_t passed_ms; }};
struct precharge_on {{ uint8_t supply, negative, relay, positive; }};

#define CLOSES_AT_PERMILLE {round(1e3 * build.close_at)}
#define EMPTY_BELOW_PERMILLE {round(1e3 * build.empty_below)}
#define RUNS_ABOVE_PERMILLE {round(1e3 * RUNS_ABOVE)}
#define SOURCE_LEAST_MV {round(1e3 * SOURCE_LEAST * need.volts)}L
#define CONTROL_MS {round(1e3 * build.wakes)}UL
#define NEGATIVE_MS {round(1e3 * build.joins)}UL
#define TIMEOUT_MS {round(1e3 * build.timeout)}UL
#define CLOSE_MS {round(1e3 * build.closing)}UL
#define RELEASE_MS {round(1e3 * build.releasing)}UL
#define FALLS_MS {round(1e3 * FALLS_FOR)}UL
#define REST_MS {round(1e3 * build.rest)}UL
#define MOST_TRIES {build.tries if switched else 1}
#define SWITCHED {switched}

static void go(struct precharge *p, enum precharge_state to) {{ p->state = to; p->since_ms = 0; }}

/* Whether the bus stands at a share of the source as it is now; never with a source that cannot be. */
static int reaches(const struct precharge_seen *in, int32_t permille)
{{
    return in->source_mv >= SOURCE_LEAST_MV && (int64_t)in->bus_mv * 1000 >= (int64_t)permille * in->source_mv;
}}

struct precharge_on precharge_step(struct precharge *p, const struct precharge_seen *in)
{{
    struct precharge_on out = {{ 0, 0, 0, 0 }};
    p->since_ms += in->passed_ms;
    if (!in->start && p->state != LOCKED && p->state != OFF) go(p, OFF);
    switch (p->state) {{
    case OFF:
        p->tries = 0;
        if (in->start) go(p, CONTROL);
        break;
    case CONTROL:
        if (p->since_ms >= CONTROL_MS && in->source_mv >= SOURCE_LEAST_MV) go(p, NEGATIVE);
        break;
    case NEGATIVE:
        if (p->since_ms >= NEGATIVE_MS)
            go(p, SWITCHED && p->tries == 0 && reaches(in, EMPTY_BELOW_PERMILLE) ? LOCKED : PRECHARGE);
        break;
    case PRECHARGE:
        if (reaches(in, CLOSES_AT_PERMILLE)) go(p, CLOSE);
        else if (p->since_ms >= TIMEOUT_MS) go(p, ++p->tries >= MOST_TRIES ? LOCKED : REST);
        break;
    case CLOSE:
        if (p->since_ms >= CLOSE_MS) go(p, RELEASE);
        break;
    case RELEASE:
        if (p->since_ms >= RELEASE_MS) go(p, RUN);
        break;
    case RUN:
        if (reaches(in, RUNS_ABOVE_PERMILLE)) p->since_ms = 0;
        else if (p->since_ms >= FALLS_MS) go(p, LOCKED);
        break;
    case REST:
        if (p->since_ms >= REST_MS) go(p, NEGATIVE);
        break;
    case LOCKED:
        if (in->reset) go(p, OFF);
        break;
    }}
    out.supply = p->state != OFF;
    out.negative = p->state >= NEGATIVE && p->state <= RUN;
    out.relay = SWITCHED && (p->state == PRECHARGE || p->state == CLOSE);
    out.positive = p->state >= CLOSE && p->state <= RUN;
    return out;
}}
"""
