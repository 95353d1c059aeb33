"""The sequence as a state table, and as portable C that a small controller runs every few milliseconds."""

from __future__ import annotations

from rhombos.core.blocks.precharge import PrechargeBuild, PrechargeNeed


def _rows(need: PrechargeNeed, build: PrechargeBuild) -> list[tuple[str, ...]]:
    switched = build.school == "switched"
    relay = "1" if switched else "0"
    closes, empty = f"{build.close_at * need.volts:.4g}", f"{build.empty_below * need.volts:.4g}"
    rows: list[tuple[str, ...]] = [
        ("CONTROL", "0", "0", "0", f"after {build.wakes:g} s", "NEGATIVE", "", ""),
        ("NEGATIVE", "1", "0", "0", f"after {build.joins:g} s", "PRECHARGE",
         f"first try and bus > {empty} V" if switched else "", "LOCKED" if switched else ""),
        ("PRECHARGE", "1", relay, "0", f"bus >= {closes} V", "CLOSE", f"after {build.timeout:g} s", "REST"),
        ("CLOSE", "1", relay, "1", f"after {build.closing:g} s", "RELEASE", "", ""),
        ("RELEASE", "1", "0", "1", f"after {build.releasing:g} s", "RUN", "", ""),
        ("RUN", "1", "0", "1", "", "", "stop asked", "CONTROL"),
        ("REST", "0", "0", "0", f"after {build.rest:g} s", "NEGATIVE", f"try {build.tries} of {build.tries} failed", "LOCKED"),
        ("LOCKED", "0", "0", "0", "", "", "reset by a person", "CONTROL"),
    ]  # fmt: skip
    return rows


def state_table_csv(need: PrechargeNeed, build: PrechargeBuild) -> str:
    """Each state with its coils, what ends it, and where it goes."""
    head = ("state", "negative", "relay", "positive", "goes on", "to", "else", "to")
    return "".join(",".join(row) + "\n" for row in (head, *_rows(need, build)))


def state_table_c(need: PrechargeNeed, build: PrechargeBuild) -> str:
    """The same as C99 without a library: call `precharge_step` with the bus, mV, and the time since the last call, ms."""
    switched = int(build.school == "switched")
    closes, empty = round(1e3 * build.close_at * need.volts), round(1e3 * build.empty_below * need.volts)
    return f"""/* Precharge sequence. Call precharge_step() every few milliseconds; drive the three coils from `out`. */
#include <stdint.h>

enum precharge_state {{ CONTROL, NEGATIVE, PRECHARGE, CLOSE, RELEASE, RUN, REST, LOCKED }};

struct precharge {{ enum precharge_state state; uint32_t since_ms; uint8_t tries; }};
struct precharge_coils {{ uint8_t negative, relay, positive; }};

#define CLOSES_AT_MV {closes}L
#define EMPTY_BELOW_MV {empty}L
#define TIMEOUT_MS {round(1e3 * build.timeout)}UL
#define REST_MS {round(1e3 * build.rest)}UL
#define MOST_TRIES {build.tries}
#define SWITCHED {switched}

static void go(struct precharge *p, enum precharge_state to) {{ p->state = to; p->since_ms = 0; }}

struct precharge_coils precharge_step(struct precharge *p, int32_t bus_mv, uint32_t passed_ms)
{{
    struct precharge_coils out = {{ 0, 0, 0 }};
    p->since_ms += passed_ms;
    switch (p->state) {{
    case CONTROL:
        p->tries = 0;
        if (p->since_ms >= {round(1e3 * build.wakes)}UL) go(p, NEGATIVE);
        break;
    case NEGATIVE:
        if (p->since_ms >= {round(1e3 * build.joins)}UL)
            go(p, SWITCHED && p->tries == 0 && bus_mv > EMPTY_BELOW_MV ? LOCKED : PRECHARGE);
        break;
    case PRECHARGE:
        if (bus_mv >= CLOSES_AT_MV) go(p, CLOSE);
        else if (p->since_ms >= TIMEOUT_MS) go(p, ++p->tries >= MOST_TRIES ? LOCKED : REST);
        break;
    case CLOSE:
        if (p->since_ms >= {round(1e3 * build.closing)}UL) go(p, RELEASE);
        break;
    case RELEASE:
        if (p->since_ms >= {round(1e3 * build.releasing)}UL) go(p, RUN);
        break;
    case REST:
        if (p->since_ms >= REST_MS) go(p, NEGATIVE);
        break;
    case RUN:
    case LOCKED:
        break;
    }}
    out.negative = p->state >= NEGATIVE && p->state <= RUN;
    out.relay = SWITCHED && (p->state == PRECHARGE || p->state == CLOSE);
    out.positive = p->state >= CLOSE && p->state <= RUN;
    return out;
}}
"""
