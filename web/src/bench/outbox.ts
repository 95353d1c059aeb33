import { Refusal, type Design, type DesignOut } from "../api/client"

/** A change that waits to be sent, and the revision it was made on. */
export interface Waiting {
  revision: number
  design: Design
}

/** A change that was never sent and cannot be taken: what is left of it, and why. */
export interface Aside {
  text: string
  why: string
}

export type Keeping =
  { state: "kept" | "saving" | "waiting"; at: Date | null } | { state: "conflict" | "archived"; at: null; theirs: DesignOut }

const key = (id: string) => `rhombos.outbox.${id}`
/** A change that cannot be taken is moved here, so that the design opens and nothing is lost. */
const asideKey = (id: string) => `rhombos.aside.${id}`
const RETRY = 1000
/** A full disk is asked again less often. */
const RETRY_FULL = 10_000

/** The change of a design that waits in this browser, if there is one that can be read; else it is set aside. */
export function waiting(id: string): Waiting | null {
  const kept = localStorage.getItem(key(id))
  if (!kept) return null
  try {
    const found = JSON.parse(kept) as Partial<Waiting> | null
    if (found && Number.isInteger(found.revision) && found.design?.name !== undefined && found.design.brief) return found as Waiting
    setAside(id, "it is not whole")
  } catch {
    setAside(id, "it is not JSON")
  }
  return null
}

/** Move a waiting change out of the way, with the reason. */
export function setAside(id: string, why: string): void {
  const text = localStorage.getItem(key(id))
  if (text !== null) localStorage.setItem(asideKey(id), JSON.stringify({ text, why } satisfies Aside))
  localStorage.removeItem(key(id))
}

/** What was set aside of a design. */
export function readAside(id: string): Aside | null {
  try {
    return JSON.parse(localStorage.getItem(asideKey(id)) ?? "null") as Aside | null
  } catch {
    return null
  }
}

/** Discard what was set aside. */
export const forgetAside = (id: string) => localStorage.removeItem(asideKey(id))

export interface Told {
  keeping: (state: Keeping) => void
  saved: (as: DesignOut) => void
  refused: (why: string) => void
}

type Put = (design: Design, revision: number) => Promise<DesignOut>
const pause = (ms: number) => new Promise<void>((done) => setTimeout(done, ms))

/** Sends the changes of one design, one at a time and always the latest. Each lies in this browser until the server has it: an
 * absent or full one is asked again, a conflict holds everything until somebody decides. */
export class Outbox {
  revision = 0
  #wanted: Design | null = null
  #busy = false
  #held = false

  constructor(
    readonly id: string,
    readonly put: Put,
    readonly told: Told,
    readonly wait: (ms: number) => Promise<void> = pause,
  ) {}

  /** Keep a change, in the browser at once and on the server as soon as it can be. */
  keep(design: Design): Promise<void> {
    this.#wanted = design
    this.#store(design)
    return this.#send()
  }

  /** Send what an earlier visit could not. */
  resume({ revision, design }: Waiting): Promise<void> {
    this.revision = revision
    this.#wanted = design
    return this.#send()
  }

  /** After a conflict: what is kept next goes on top of this revision. */
  release(revision: number): void {
    this.revision = revision
    this.#held = false
  }

  /** Discard what waits. */
  drop(): void {
    this.#wanted = null
    localStorage.removeItem(key(this.id))
  }

  #store(design: Design): void {
    localStorage.setItem(key(this.id), JSON.stringify({ revision: this.revision, design } satisfies Waiting))
  }

  async #send(): Promise<void> {
    if (this.#busy || this.#held) return
    this.#busy = true
    try {
      while (this.#wanted && !this.#held) await this.#once(this.#wanted)
    } finally {
      this.#busy = false
    }
  }

  async #once(sending: Design): Promise<void> {
    this.told.keeping({ state: "saving", at: null })
    try {
      const saved = await this.put(sending, this.revision)
      this.revision = saved.revision
      this.told.saved(saved)
      if (this.#wanted === sending) {
        this.drop()
        this.told.keeping({ state: "kept", at: new Date() })
      } else if (this.#wanted) this.#store(this.#wanted)
    } catch (error) {
      const theirs = error instanceof Refusal ? error.problem.current : undefined
      if (error instanceof Refusal && theirs) {
        this.#held = true
        this.told.keeping({ state: error.status === 409 ? "conflict" : "archived", at: null, theirs })
      } else if (error instanceof Refusal && (error.away || error.status === 507)) {
        const full = error.status === 507
        if (full) this.told.refused(error.message)
        this.told.keeping({ state: "waiting", at: null })
        await this.wait(full ? RETRY_FULL : RETRY)
      } else {
        this.#wanted = null
        this.told.refused(error instanceof Error ? error.message : String(error))
      }
    }
  }
}
