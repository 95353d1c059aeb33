import { Box } from "@chakra-ui/react"

import type { ScopeSeen } from "../api/client"
import { Capacitor, Inductor, Tag, Terminal, Wire } from "../circuits/symbols"
import { TONES } from "./Traces"

/** The name of a place that can be probed. */
export type Probe = ScopeSeen["points"][number]["name"]

interface Spot {
  name: Probe
  x: number
  y: number
  label: string
  side: "above" | "below"
}

/** Where the path is probed: a current on its wire, a voltage at its node. */
const SPOTS: Spot[] = [
  { name: "source", x: 62, y: 30, label: "I source", side: "above" },
  { name: "input", x: 112, y: 30, label: "V input", side: "above" },
  { name: "choke", x: 232, y: 30, label: "I choke", side: "above" },
  { name: "link", x: 290, y: 30, label: "V link", side: "above" },
  { name: "bridge", x: 420, y: 30, label: "V bridge", side: "above" },
  { name: "inductor", x: 506, y: 30, label: "I inductor", side: "above" },
  { name: "shunt", x: 552, y: 52, label: "I capacitor", side: "below" },
  { name: "output", x: 590, y: 30, label: "V socket", side: "above" },
  { name: "load", x: 656, y: 30, label: "I load", side: "above" },
  { name: "power", x: 712, y: 92, label: "P load", side: "below" },
]
const INSIDE: Partial<Record<Probe, string>> = { smoothing: "V smoothing", rotor: "I rotor", flux: "flux", magnetising: "I magnetising" }

/** The path from source to load with every place that can be probed; a click takes a probe or puts it away. */
export function Probes({
  points,
  taken,
  front,
  bridge,
  direct,
  load,
  toggle,
}: {
  points: ScopeSeen["points"] | undefined
  taken: readonly string[]
  front: boolean
  bridge: boolean
  /** The socket is the link itself. */
  direct: boolean
  load: string
  toggle: (name: Probe) => void
}) {
  const there = new Set(points?.map((p) => p.name))
  const filtered = !points || there.has("inductor")
  const inner = (points ?? []).filter((p) => p.name in INSIDE)
  const spots: Spot[] = [
    ...SPOTS.filter(
      (s) =>
        (front || s.name !== "choke") &&
        (filtered || !["inductor", "shunt"].includes(s.name)) &&
        !(direct && ["bridge", "link"].includes(s.name)),
    ),
    ...inner.map((p, i) => ({ name: p.name, x: 790, y: 24 + 26 * i, label: INSIDE[p.name] ?? p.name, side: "above" as const })),
  ]
  return (
    <Box px="2" pt="1" color="ink" data-testid="probes">
      <svg viewBox="0 0 880 112" width="100%" style={{ maxHeight: 132 }}>
        <Terminal x={24} y={30} />
        <Terminal x={24} y={96} />
        <Wire d="M27 30H140M27 96H140M212 30H250M212 96H250" />
        <rect x={140} y={22} width={72} height={82} fill="none" stroke="currentColor" strokeWidth={1.5} />
        <Tag x={176} y={66} at="middle" name={front ? "front end" : "input"} />
        <Wire d="M250 30H330M250 96H330M268 30V54M268 78V96" />
        <Capacitor x={268} y={54} turn={90} polar />
        {direct ? (
          <Wire d="M356 30H376M358 96H374" />
        ) : (
          <>
            <path d="M366 20L406 62L366 104L326 62Z" fill="none" stroke="var(--chakra-colors-copper)" strokeWidth={1.8} />
            <Tag x={366} y={66} at="middle" name={bridge ? "bridge" : "pair"} />
          </>
        )}
        <Wire
          d={
            filtered
              ? "M330 30H356M330 96H358M376 30H440M374 96H700M488 30H680M536 30V54M536 78V96"
              : "M330 30H356M330 96H358M376 30H680M374 96H700"
          }
        />
        {filtered && <Inductor x={440} y={30} />}
        {filtered && <Capacitor x={536} y={54} turn={90} />}
        <rect x={680} y={20} width={64} height={56} fill="none" stroke="currentColor" strokeWidth={1.5} />
        <Wire d="M700 96V76" />
        <Tag x={712} y={52} at="middle" name={load === "as designed" ? "load" : load === "transformer" ? "iron" : load.split(",")[0]} />
        {spots.map((s) => (
          <Place key={s.name} spot={s} able={there.has(s.name)} n={taken.indexOf(s.name)} toggle={() => toggle(s.name)} />
        ))}
      </svg>
    </Box>
  )
}

const paint = (token: string) => `var(--chakra-colors-${token.replace(".", "-")})`

function Place({ spot, able, n, toggle }: { spot: Spot; able: boolean; n: number; toggle: () => void }) {
  const on = n >= 0
  const tone = on ? (TONES[n] ?? "ink") : "ink.soft"
  const right = spot.x > 760 || spot.name === "shunt" || spot.name === "power"
  return (
    <g
      role="button"
      tabIndex={0}
      aria-pressed={on}
      aria-label={`probe ${spot.label}${able ? "" : ", asks for the source's side"}`}
      onClick={toggle}
      onKeyDown={(e) => (e.key === "Enter" || e.key === " ") && (e.preventDefault(), e.stopPropagation(), toggle())}
      style={{ cursor: "pointer", opacity: able ? 1 : 0.55 }}
      data-testid={`probe-${spot.name}`}
    >
      <rect x={spot.x - (right ? 10 : 28)} y={spot.y - 22} width={right ? 100 : 56} height={32} fill="transparent" />
      <path
        d={`M${spot.x} ${spot.y - 7}l7 7l-7 7l-7 -7Z`}
        fill={on ? paint(tone) : paint("paper")}
        stroke={paint(on ? tone : "ink.soft")}
        strokeWidth={1.5}
        strokeDasharray={able ? undefined : "2 2"}
      />
      <text
        x={right ? spot.x + 12 : spot.x}
        y={right ? spot.y + 4 : spot.y - 12}
        textAnchor={right ? "start" : "middle"}
        style={{ fontSize: 12.5, fontWeight: on ? 700 : 400, fill: paint(tone) }}
      >
        {spot.label}
      </text>
    </g>
  )
}
