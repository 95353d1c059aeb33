import { beforeEach, describe, expect, it, vi } from "vitest"

import { Refusal, type Design, type DesignOut } from "../src/api/client"
import { forgetAside, Outbox, readAside, waiting, type Keeping } from "../src/bench/outbox"

const ID = "d"
const stored = new Map<string, string>()
vi.stubGlobal("localStorage", {
  getItem: (k: string) => stored.get(k) ?? null,
  setItem: (k: string, v: string) => stored.set(k, v),
  removeItem: (k: string) => stored.delete(k),
})
const design = (name: string): Design => ({ name, brief: {} })
const refusal = (status: number, current?: DesignOut) =>
  new Refusal(status, { type: "about:blank", title: "", status, detail: `refused with ${status}`, ...(current && { current }) })
const standing = (revision: number): DesignOut => ({
  id: ID,
  revision,
  design: design("theirs"),
  asked: "",
  created: "",
  saved: "",
  deleted: null,
})

/** A server that answers each save when it is told to, and an outbox that sends to it. */
function bench() {
  const sent: { name: string; revision: number; answer: (how?: Error) => void }[] = []
  const states: Keeping["state"][] = []
  const refused: string[] = []
  const waits: number[] = []
  let wake: () => void = () => undefined
  const outbox = new Outbox(
    ID,
    (body, revision) =>
      new Promise((done, fail) =>
        sent.push({
          name: body.name ?? "",
          revision,
          answer: (how) => (how ? fail(how) : done({ revision: revision + 1, design: body } as DesignOut)),
        }),
      ),
    { keeping: (s) => states.push(s.state), saved: () => undefined, refused: (why) => refused.push(why) },
    (ms) => (waits.push(ms), new Promise((done) => (wake = done))),
  )
  const settle = () => new Promise((done) => setTimeout(done))
  const answer = async (how?: Error) => (sent[sent.length - 1]!.answer(how), await settle())
  return { outbox, sent, states, refused, waits, answer, wake: async () => (wake(), await settle()) }
}

beforeEach(() => stored.clear())

describe("the outbox", () => {
  it("holds a change in the browser until the server has it", async () => {
    const b = bench()
    void b.outbox.keep(design("one"))
    expect(waiting(ID)).toEqual({ revision: 0, design: design("one") })
    await b.answer()
    expect(waiting(ID)).toBeNull()
    expect(b.states).toEqual(["saving", "kept"])
    expect(b.outbox.revision).toBe(1)
  })

  it("sends one at a time, and of those that came meanwhile the latest", async () => {
    const b = bench()
    for (const name of ["one", "two", "three"]) void b.outbox.keep(design(name))
    expect(b.sent).toHaveLength(1)
    await b.answer()
    expect(b.sent.map((s) => [s.name, s.revision])).toEqual([
      ["one", 0],
      ["three", 1],
    ])
    expect(waiting(ID)).toEqual({ revision: 1, design: design("three") })
    await b.answer()
    expect(waiting(ID)).toBeNull()
  })

  it.each([
    [0, 1000, 0],
    [503, 1000, 0],
    [507, 10_000, 1],
  ])("asks again after a %i", async (status, ms, told) => {
    const b = bench()
    void b.outbox.keep(design("one"))
    await b.answer(refusal(status))
    expect(b.states).toEqual(["saving", "waiting"])
    expect([b.waits, b.refused.length]).toEqual([[ms], told])
    expect(waiting(ID)?.design.name).toBe("one")
    void b.outbox.keep(design("two"))
    await b.wake()
    await b.answer()
    expect(b.sent.map((s) => s.name)).toEqual(["one", "two"])
    expect(waiting(ID)).toBeNull()
  })

  it.each([
    [409, "conflict"],
    [410, "archived"],
  ])("holds everything after a %i until somebody decides", async (status, state) => {
    const b = bench()
    void b.outbox.keep(design("mine"))
    await b.answer(refusal(status, standing(7)))
    expect(b.states.at(-1)).toBe(state)
    void b.outbox.keep(design("mine again"))
    expect(b.sent).toHaveLength(1)
    b.outbox.release(7)
    void b.outbox.keep(design("mine again"))
    await b.answer()
    expect(b.sent.map((s) => [s.name, s.revision])).toEqual([
      ["mine", 0],
      ["mine again", 7],
    ])
  })

  it("does not ask again for what cannot succeed, nor lets go of it", async () => {
    const b = bench()
    void b.outbox.keep(design("odd"))
    await b.answer(refusal(422))
    expect(b.refused).toEqual(["refused with 422"])
    expect([b.sent.length, b.waits.length]).toEqual([1, 0])
    expect(waiting(ID)?.design.name).toBe("odd")
  })

  it("goes on with what an earlier visit could not send", async () => {
    const first = bench()
    void first.outbox.keep(design("kept over night"))
    await first.answer(refusal(503))
    const b = bench()
    void b.outbox.resume(waiting(ID)!)
    await b.answer()
    expect(b.sent.map((s) => s.name)).toEqual(["kept over night"])
    expect(waiting(ID)).toBeNull()
  })

  it.each([
    ["{", "it is not JSON"],
    ['{"revision": 1.5, "design": {}}', "it is not whole"],
    ["null", "it is not whole"],
  ])("sets aside what cannot be read: %s", (text, why) => {
    stored.set(`rhombos.outbox.${ID}`, text)
    expect(waiting(ID)).toBeNull()
    expect(readAside(ID)).toEqual({ text, why })
    forgetAside(ID)
    expect(readAside(ID)).toBeNull()
  })
})
