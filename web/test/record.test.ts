import { describe, expect, it } from "vitest"

import { columnsOf, extremes, line, place, round, ticks, unpacked, type Drawn, type Trace } from "../src/scope/record"

/** Numbers that look random and are the same each time. */
function dice(seed: number) {
  let state = seed
  return () => (state = (state * 1103515245 + 12345) % 2147483648) / 2147483648
}

const trace = (values: number[]): Trace => ({ name: "v", unit: "V", label: "v", values: Float32Array.from(values) })
/** A step of time that doubles hold exactly, s. */
const STEP = 2 ** -20
const drawn = (count: number, values: (i: number) => number): Drawn => {
  const time = Float64Array.from({ length: count }, (_, i) => i * STEP)
  return { first: 0, last: (count - 1) * STEP, time, traces: new Map([["v", trace(Array.from({ length: count }, (_, i) => values(i)))]]) }
}

describe("the pyramid of a trace", () => {
  it("finds the least and most of any stretch, as a plain search does", () => {
    const next = dice(7)
    for (const count of [1, 7, 8, 9, 63, 64, 65, 511, 513, 5000]) {
      const t = trace(Array.from({ length: count }, () => next() * 200 - 100))
      for (let turn = 0; turn < 60; turn++) {
        const from = Math.floor(next() * count)
        const to = from + 1 + Math.floor(next() * (count - from))
        const plain = t.values.subarray(from, to)
        expect(extremes(t, from, to)).toEqual([Math.min(...plain), Math.max(...plain)])
      }
    }
  })

  it("loses no spike, however many values share a column", () => {
    const d = drawn(100_000, (i) => (i === 77_777 ? 122 : Math.sin(i / 900)))
    const v = d.traces.get("v")!
    const drawnLine = line(
      d,
      v,
      columnsOf(d, 0, d.last, 300),
      (t) => t,
      (u) => u,
    )
    const heights = drawnLine.filter((_, i) => i % 2 === 1)
    expect(Math.max(...heights)).toBe(122)
    expect(heights.length).toBeLessThanOrEqual(600)
  })

  it("draws every value where there are few", () => {
    const d = drawn(50, (i) => i)
    const seen = line(
      d,
      d.traces.get("v")!,
      columnsOf(d, 10 * STEP, 20 * STEP, 300),
      (t) => t,
      (u) => u,
    )
    expect(Array.from(seen.filter((_, i) => i % 2 === 1))).toEqual(Array.from({ length: 12 }, (_, i) => i + 9))
  })
})

describe("a record", () => {
  it("is read as the server packs it", () => {
    const head = JSON.stringify({
      count: 3,
      first: 0,
      last: 2,
      traces: [
        { name: "a", unit: "V", label: "A" },
        { name: "b", unit: "A", label: "B" },
      ],
    })
    const line = `${head}${" ".repeat((8 - ((head.length + 1) % 8)) % 8)}\n`
    const raw = new ArrayBuffer(line.length + 3 * 8 + 2 * 3 * 4)
    new Uint8Array(raw).set(new TextEncoder().encode(line))
    new Float64Array(raw, line.length, 3).set([0, 1, 2])
    new Float32Array(raw, line.length + 24, 6).set([1, 2, 3, 4, 5, 6])
    const d = unpacked(raw)
    expect(Array.from(d.time)).toEqual([0, 1, 2])
    expect(Array.from(d.traces.get("b")!.values)).toEqual([4, 5, 6])
    expect(d.traces.get("a")!.label).toBe("A")
  })

  it("finds the first time at or after a moment", () => {
    const time = Float64Array.of(0, 1, 1, 2, 5)
    expect([-1, 0, 0.5, 1, 1.5, 5, 9].map((t) => place(time, t))).toEqual([0, 0, 1, 1, 3, 4, 5])
  })
})

describe("an axis", () => {
  it("has round ends about what it shows", () => {
    const next = dice(3)
    for (let turn = 0; turn < 200; turn++) {
      const low = (next() - 0.5) * 10 ** Math.floor(next() * 8 - 4)
      const high = low + next() * 10 ** Math.floor(next() * 8 - 4) + 1e-6
      const [from, to] = round([low, high])
      expect(from).toBeLessThanOrEqual(low)
      expect(to).toBeGreaterThanOrEqual(high)
      expect(to - from).toBeLessThan(2.2 * (high - low))
    }
    expect(round([3, 3])).toEqual([2, 4])
  })

  it("has a few ticks at round places", () => {
    const found = ticks(0, 10, 5)
    expect(found.length).toBeGreaterThan(2)
    expect(found.length).toBeLessThan(12)
    expect(found.every((t) => Math.abs(t * 2 - Math.round(t * 2)) < 1e-9)).toBe(true)
  })
})
