import { describe, expect, it } from "vitest"

import { Refusal } from "../src/api/client"
import { lines, whole } from "../src/api/lines"

/** A stream of bytes in pieces of a size, wherever that cuts. */
const inPieces = (text: string, size: number) => {
  const bytes = new TextEncoder().encode(text)
  return new ReadableStream<Uint8Array>({
    start(controller) {
      for (let at = 0; at < bytes.length; at += size) controller.enqueue(bytes.slice(at, at + size))
      controller.close()
    },
  })
}

const ROWS = [
  { to_come: 2, said: "4.7 Ω" },
  { to_come: 1, said: "a \\n within" },
  { to_come: 0, said: "µ" },
]
const SENT = ROWS.map((row) => `${JSON.stringify(row)}\n`).join("")

describe("an answer that comes line by line", () => {
  it("is the same however it is cut", async () => {
    for (let size = 1; size <= SENT.length; size++) {
      const found: object[] = []
      for await (const row of lines<object>(inPieces(SENT, size))) found.push(row)
      expect(found).toEqual(ROWS)
    }
  })

  it("tells what there is on the way and comes to the whole", async () => {
    const told: object[] = []
    expect(await whole(lines<(typeof ROWS)[0]>(inPieces(SENT, 5)), (row) => told.push(row))).toEqual(ROWS[2])
    expect(told).toEqual(ROWS.slice(0, 2))
  })

  it("that ends early is asked for again", async () => {
    const short = ROWS.slice(0, 2)
      .map((row) => `${JSON.stringify(row)}\n`)
      .join("")
    const cut = whole(lines<(typeof ROWS)[0]>(inPieces(short, 7)), () => undefined)
    await expect(cut).rejects.toBeInstanceOf(Refusal)
    await expect(cut).rejects.toMatchObject({ away: true })
    await expect(whole(lines<(typeof ROWS)[0]>(null), () => undefined)).rejects.toBeInstanceOf(Refusal)
  })
})
