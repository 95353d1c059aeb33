/** A window of a record as numbers to draw: times, and traces with their least and most over ever longer stretches. */

export interface Trace {
  name: string
  unit: string
  label: string
  values: Float32Array
  /** Least and most of blocks of 8, 64, 512 … values, in pairs; made when first drawn. */
  levels?: Float32Array[]
}

export interface Drawn {
  first: number
  last: number
  time: Float64Array
  traces: Map<string, Trace>
}

interface Head {
  count: number
  first: number
  last: number
  traces: { name: string; unit: string; label: string }[]
}

/** Read what the server packs: a line of JSON, times as doubles, traces as singles. */
export function unpacked(raw: ArrayBuffer): Drawn {
  const bytes = new Uint8Array(raw)
  const line = bytes.indexOf(10)
  const head = JSON.parse(new TextDecoder().decode(bytes.subarray(0, line))) as Head
  const begin = line + 1
  const traces = new Map<string, Trace>()
  head.traces.forEach((t, k) =>
    traces.set(t.name, { ...t, values: new Float32Array(raw, begin + 8 * head.count + 4 * head.count * k, head.count) }),
  )
  return { first: head.first, last: head.last, time: new Float64Array(raw, begin, head.count), traces }
}

const STEP = 8

function levelsOf(trace: Trace): Float32Array[] {
  if (trace.levels) return trace.levels
  const levels: Float32Array[] = []
  let count = trace.values.length
  let below: Float32Array | undefined
  while (count > STEP) {
    const blocks = Math.ceil(count / STEP)
    const made = new Float32Array(2 * blocks)
    for (let b = 0; b < blocks; b++) {
      let least = Infinity
      let most = -Infinity
      for (let i = b * STEP; i < Math.min(count, (b + 1) * STEP); i++) {
        least = Math.min(least, below ? below[2 * i]! : trace.values[i]!)
        most = Math.max(most, below ? below[2 * i + 1]! : trace.values[i]!)
      }
      made[2 * b] = least
      made[2 * b + 1] = most
    }
    levels.push(made)
    below = made
    count = blocks
  }
  trace.levels = levels
  return levels
}

/** What `extremes` found last: no pair is made for each of thousands of columns a frame. */
let least = 0
let most = 0

/** Least and most of the values from one place up to, not with, another. */
export function extremes(trace: Trace, from: number, to: number): [number, number] {
  seek(trace, levelsOf(trace), from, to)
  return [least, most]
}

function seek(trace: Trace, levels: readonly Float32Array[], from: number, to: number) {
  least = Infinity
  most = -Infinity
  let a = from
  let b = to
  for (let level = -1; a < b; level++) {
    const pairs = levels[level]
    const last = level + 1 >= levels.length
    while (a < b && (last || a % STEP)) take(trace, pairs, a++)
    while (a < b && b % STEP) take(trace, pairs, --b)
    a /= STEP
    b /= STEP
  }
}

function take(trace: Trace, pairs: Float32Array | undefined, at: number) {
  const low = pairs ? pairs[2 * at]! : trace.values[at]!
  const high = pairs ? pairs[2 * at + 1]! : low
  if (low < least) least = low
  if (high > most) most = high
}

/** The place of the first time at or after a moment. */
export function place(time: Float64Array, moment: number): number {
  let low = 0
  let high = time.length
  while (low < high) {
    const middle = (low + high) >> 1
    if (time[middle]! < moment) low = middle + 1
    else high = middle
  }
  return low
}

/** Where the columns of a window begin among the times, and where the last one ends; or every time in it, if they are few. */
export interface Columns {
  places: Int32Array
  every: boolean
}

/** The columns of a window, shared by all traces that are drawn in it. */
export function columnsOf(drawn: Drawn, first: number, last: number, count: number): Columns {
  const begin = Math.max(0, place(drawn.time, first) - 1)
  const end = Math.min(drawn.time.length, place(drawn.time, last) + 1)
  if (end - begin <= 3 * count) return { places: Int32Array.of(begin, end), every: true }
  const places = new Int32Array(count + 1)
  places[0] = begin
  for (let c = 1; c < count; c++) places[c] = place(drawn.time, first + (c / count) * (last - first))
  places[count] = end
  return { places, every: false }
}

/** A line across a window in the units of the picture, x and y in turn: every value, or each column's least and most. */
export function line(drawn: Drawn, trace: Trace, columns: Columns, across: (t: number) => number, up: (v: number) => number): Float32Array {
  const { places, every } = columns
  if (every) {
    const [begin = 0, end = 0] = places
    const found = new Float32Array(2 * (end - begin))
    for (let i = begin, k = 0; i < end; i++) {
      found[k++] = across(drawn.time[i]!)
      found[k++] = up(trace.values[i]!)
    }
    return found
  }
  const levels = levelsOf(trace)
  const found = new Float32Array(4 * (places.length - 1))
  let k = 0
  for (let c = 1; c < places.length; c++) {
    const from = places[c - 1]!
    const to = places[c]!
    if (to <= from) continue
    seek(trace, levels, from, to)
    const x = across((drawn.time[from]! + drawn.time[to - 1]!) / 2)
    const rising = trace.values[to - 1]! >= trace.values[from]!
    found[k++] = x
    found[k++] = up(rising ? least : most)
    found[k++] = x
    found[k++] = up(rising ? most : least)
  }
  return found.subarray(0, k)
}

/** A range with a little air whose ends are round: it stands still while a trace only drifts. */
export function round([least, most]: [number, number]): [number, number] {
  if (!(most > least)) return [least - 1, most + 1]
  const wide = 10 ** Math.floor(Math.log10(most - least))
  const step = [0.2, 0.5, 1, 2].map((s) => s * wide).find((s) => (most - least) / s <= 7) ?? wide
  const low = Math.floor(least / step - 0.02) * step
  const high = Math.ceil(most / step + 0.02) * step
  return [low, high]
}

/** Round moments or levels between two ends, a few of them. */
export function ticks(low: number, high: number, about: number): number[] {
  const rough = (high - low) / about
  const wide = 10 ** Math.floor(Math.log10(rough))
  const step = [1, 2, 5, 10].map((s) => s * wide).find((s) => s >= rough) ?? 10 * wide
  const found: number[] = []
  for (let t = Math.ceil(low / step - 1e-9) * step; t <= high + step * 1e-9; t += step) found.push(Math.abs(t) < step * 1e-9 ? 0 : t)
  return found
}

const PREFIX: [number, string][] = [
  [1e3, "k"],
  [1, ""],
  [1e-3, "m"],
  [1e-6, "µ"],
  [1e-9, "n"],
]

/** Numbers of an axis in one unit that suits the largest: what to divide by, and the unit's name. */
export function scale(largest: number, unit: string): [number, string] {
  const [factor, prefix] = PREFIX.find(([f]) => largest >= f * 0.9999) ?? [1, ""]
  return [factor, `${prefix}${unit.replace("*", "·")}`]
}
