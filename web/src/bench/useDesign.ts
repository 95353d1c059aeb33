import { useQueryClient } from "@tanstack/react-query"
import { useCallback, useEffect, useRef, useState } from "react"

import { client, data, Refusal, retry, retryDelay, type Design, type DesignOut, type Problem, type Solved } from "../api/client"
import { same } from "../ui/same"

/** A change of a design: parts of it to replace. */
export type Change = Partial<Pick<Design, "name" | "brief" | "pins" | "rules" | "house" | "route" | "waivers">>

/** … or what it makes of the design as it stands once the changes before it are through. */
export type Edit = Change | ((now: Design) => Change)

export type Keeping = { state: "kept" | "saving" | "waiting"; at: Date | null } | { state: "conflict" | "put away"; at: null; theirs: DesignOut }

/** What can be undone, and done again. */
interface Trail {
  past: Design[]
  future: Design[]
}

interface Outbox {
  revision: number
  design: Design
}

const key = (id: string) => `rhombos.outbox.${id}`
/** A change that cannot be taken is moved here, so that the design opens and nothing is lost. */
const asideKey = (id: string) => `rhombos.aside.${id}`
const RETRY = 1000
/** A full disk is asked again less often. */
const RETRY_FULL = 10_000

/** A change that was never sent and cannot be taken: what is left of it, and why. */
export interface Aside {
  text: string
  why: string
}

/** The change that waits to be sent, if there is one that can be read. */
function readOutbox(id: string): Outbox | null {
  const kept = localStorage.getItem(key(id))
  if (!kept) return null
  try {
    const found = JSON.parse(kept) as Partial<Outbox> | null
    if (found && Number.isInteger(found.revision) && found.design?.name !== undefined && found.design.brief) return found as Outbox
    setAside(id, "it is not whole")
  } catch {
    setAside(id, "it is not JSON")
  }
  return null
}

function setAside(id: string, why: string): void {
  const text = localStorage.getItem(key(id))
  if (text !== null) localStorage.setItem(asideKey(id), JSON.stringify({ text, why } satisfies Aside))
  localStorage.removeItem(key(id))
}

function readAside(id: string): Aside | null {
  try {
    return JSON.parse(localStorage.getItem(asideKey(id)) ?? "null") as Aside | null
  } catch {
    return null
  }
}

/** Everything the bench needs of one design: as it stands, solved, with its past, kept on the server. */
export function useDesign(id: string) {
  const queries = useQueryClient()
  const [design, setDesign] = useState<Design>()
  const [solved, setSolved] = useState<Solved>()
  const trail = useRef<Trail>({ past: [], future: [] })
  const [, setTrailShown] = useState<Trail>(trail.current)
  const [keeping, setKeeping] = useState<Keeping>({ state: "saving", at: null })
  const [fault, setFault] = useState<string>()
  const [took, setTook] = useState(0)
  const [moved, setMoved] = useState("")
  const [head, setHead] = useState(0)
  const [faults, setFaults] = useState<DesignOut["faults"]>([])
  const [aside, setAsideShown] = useState<Aside | null>(null)
  const revision = useRef(0)
  const wanted = useRef<Design | null>(null)
  const busy = useRef(false)
  const latest = useRef(0)
  const held = useRef(false)
  const present = useRef<Design | undefined>(undefined)
  const turn = useRef<Promise<unknown>>(Promise.resolve())

  const setTrail = useCallback((past: Design[], future: Design[]) => setTrailShown((trail.current = { past, future })), [])

  const send = useCallback(async () => {
    if (busy.current || held.current) return
    busy.current = true
    try {
      while (wanted.current && !held.current) {
        const sending = wanted.current
        setKeeping({ state: "saving", at: null })
        try {
          const saved = await data(
            client.PUT("/api/designs/{identity}", {
              params: { path: { identity: id }, header: { "if-match": `"${revision.current}"` } },
              body: sending,
            }),
          )
          revision.current = saved.revision
          setHead(saved.revision)
          setFaults([])
          setFault(undefined)
          if (wanted.current === sending) {
            wanted.current = null
            localStorage.removeItem(key(id))
            setKeeping({ state: "kept", at: new Date() })
          } else if (wanted.current) {
            localStorage.setItem(key(id), JSON.stringify({ revision: saved.revision, design: wanted.current } satisfies Outbox))
          }
        } catch (error) {
          if (error instanceof Refusal && (error.status === 409 || error.status === 410)) {
            held.current = true
            setKeeping({ state: error.status === 409 ? "conflict" : "put away", at: null, theirs: error.problem.current as DesignOut })
          } else if (error instanceof Refusal && error.status === 507) {
            setFault(error.message)
            setKeeping({ state: "waiting", at: null })
            await new Promise((done) => setTimeout(done, RETRY_FULL))
          } else if (error instanceof Refusal && error.away) {
            setKeeping({ state: "waiting", at: null })
            await new Promise((done) => setTimeout(done, RETRY))
          } else {
            wanted.current = null
            setFault(error instanceof Error ? error.message : String(error))
          }
        }
      }
    } finally {
      busy.current = false
    }
  }, [id])

  const keep = useCallback(
    (next: Design) => {
      wanted.current = next
      localStorage.setItem(key(id), JSON.stringify({ revision: revision.current, design: next } satisfies Outbox))
      void send()
    },
    [id, send],
  )

  /** Solve a design and, if it can be taken, make it the present one. Resolves to the refusal, or null. */
  const take = useCallback(async (next: Design, edited?: string): Promise<Problem | null> => {
    const mine = ++latest.current
    const began = performance.now()
    try {
      const answer = await queries.fetchQuery({
        queryKey: ["solve", next, edited],
        queryFn: () => data(client.POST("/api/solve", { body: { brief: next.brief!, pins: next.pins, rules: next.rules, house: next.house ?? {}, route: next.route, waivers: next.waivers, edited } })),
        staleTime: 0,
        gcTime: 0,
        retry,
        retryDelay,
      })
      if (mine !== latest.current) return null
      const settled = { ...next, brief: answer.solution.brief }
      present.current = settled
      setDesign(settled)
      setSolved(answer)
      setMoved(answer.moved)
      setTook(performance.now() - began)
      setFault(undefined)
      return null
    } catch (error) {
      if (!(error instanceof Refusal)) throw error
      if (error.status === 422) return error.problem
      setFault(error.message)
      return error.problem
    }
  }, [queries])

  useEffect(() => {
    let gone = false
    const load = async () => {
      try {
        const stored = await data(client.GET("/api/designs/{identity}", { params: { path: { identity: id } } }))
        if (gone) return
        let unsent = readOutbox(id)
        let problem = await take(unsent ? unsent.design : stored.design)
        if (unsent && problem?.status === 422) {
          setAside(id, problem.detail)
          unsent = null
          problem = await take(stored.design)
        }
        if (gone) return
        revision.current = unsent ? unsent.revision : stored.revision
        setHead(stored.revision)
        setAsideShown(readAside(id))
        if (problem) setFault(problem.detail)
        if (unsent) {
          wanted.current = unsent.design
          void send()
        } else {
          setFaults(stored.faults ?? [])
          setKeeping({ state: "kept", at: new Date(stored.saved) })
        }
      } catch (error) {
        if (gone) return
        const away = error instanceof Refusal && error.away
        setFault(error instanceof Error ? error.message : String(error))
        if (away) setTimeout(load, RETRY)
      }
    }
    void load()
    return () => {
      gone = true
    }
  }, [id, send, take])

  /** One after the other: what is typed while the last change is still being sized comes on top of it. */
  const inTurn = useCallback(<T,>(work: () => Promise<T>): Promise<T> => {
    const done = turn.current.then(work)
    turn.current = done.catch(() => undefined)
    return done
  }, [])

  const change = useCallback(
    (edit: Edit, edited?: string) =>
      inTurn(async (): Promise<Problem | null> => {
        const now = present.current
        if (!now) return null
        const next = { ...now, ...(typeof edit === "function" ? edit(now) : edit) }
        if (same(next, now)) return null
        const problem = await take(next, edited)
        if (problem) return problem
        setTrail([...trail.current.past.slice(-199), now], [])
        keep({ ...next, brief: present.current?.brief ?? next.brief })
        return null
      }),
    [inTurn, keep, setTrail, take],
  )

  const step = useCallback(
    (back: boolean) =>
      inTurn(async () => {
        const { past, future } = trail.current
        const [target, now] = [(back ? past : future).at(-1), present.current]
        if (!target || !now || (await take(target))) return
        if (back) setTrail(past.slice(0, -1), [...future, now])
        else setTrail([...past, now], future.slice(0, -1))
        keep(target)
      }),
    [inTurn, keep, setTrail, take],
  )

  /** After a conflict, or where the design was put away: put mine on top of what stands, restored if need be; or leave that as it
   * is, and keep mine as a copy. */
  const resolve = useCallback(
    async (mine: boolean) => {
      if (!("theirs" in keeping) || !design) return
      const { theirs } = keeping
      if (mine && theirs.deleted) await data(client.POST("/api/designs/{identity}/restore", { params: { path: { identity: id } } }))
      revision.current = theirs.revision
      held.current = false
      if (mine) keep(design)
      else {
        const copy = await data(client.POST("/api/designs", { body: { ...design, name: `${design.name} (other tab)`.slice(0, 80) } }))
        wanted.current = null
        localStorage.removeItem(key(id))
        setTrail([], [])
        await take(theirs.design)
        setHead(theirs.revision)
        setKeeping({ state: "kept", at: new Date(theirs.saved) })
        return copy.design.name
      }
    },
    [design, id, keep, keeping, setTrail, take],
  )

  /** Let go of a change that could not be taken. */
  const forget = useCallback(() => {
    localStorage.removeItem(asideKey(id))
    setAsideShown(null)
  }, [id])

  return {
    id, head, faults, aside, forget, design, solved,
    /** Keep the design without what could not be read of it. */
    mend: () => design && keep(design), keeping, fault, took, moved, change, resolve,
    undo: trail.current.past.length ? () => step(true) : null,
    redo: trail.current.future.length ? () => step(false) : null,
  }
}

export type DesignHandle = ReturnType<typeof useDesign>
