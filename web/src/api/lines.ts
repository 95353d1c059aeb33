import { cut } from "./client"

/** An answer that comes line by line, each a JSON document of its own. */
export async function* lines<T>(stream: ReadableStream<Uint8Array> | null): AsyncGenerator<T> {
  if (!stream) return
  const reader = stream.getReader()
  const decoder = new TextDecoder()
  let rest = ""
  for (let piece = await reader.read(); !piece.done; piece = await reader.read()) {
    const complete = (rest + decoder.decode(piece.value, { stream: true })).split("\n")
    rest = complete.pop() ?? ""
    for (const line of complete) yield JSON.parse(line) as T
  }
}

/** The last of what grows, each told on the way. Throws a Refusal where it ends before it is whole. */
export async function whole<T extends { to_come?: number }>(grown: AsyncIterable<T>, tell: (sofar: T) => unknown): Promise<T> {
  let last: T | undefined
  for await (const sofar of grown) {
    last = sofar
    if (last.to_come) tell(last)
  }
  if (!last || last.to_come) throw cut()
  return last
}
