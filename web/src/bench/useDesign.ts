import { useQueryClient } from "@tanstack/react-query"
import { useCallback, useEffect, useMemo, useRef, useState } from "react"

import { client, data, Refusal, retry, retryDelay, type Design, type DesignOut, type Problem, type Solved } from "../api/client"
import { same } from "../ui/same"
import { useTurns } from "../ui/useTurns"
import { forgetAside, Outbox, readAside, setAside, waiting, type Aside, type Keeping } from "./outbox"

/** A change of a design: parts of it to replace. */
export type Change = Partial<Pick<Design, "name" | "brief" | "pins" | "rules" | "house" | "route" | "waivers">>

/** … or what it makes of the design as it stands once the changes before it are through. */
export type Edit = Change | ((now: Design) => Change)

/** What can be undone, and done again. */
interface Trail {
  past: Design[]
  future: Design[]
}

const RETRY = 1000

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
  const latest = useRef(0)
  const present = useRef<Design | undefined>(undefined)

  const setTrail = useCallback((past: Design[], future: Design[]) => setTrailShown((trail.current = { past, future })), [])

  const outbox = useMemo(
    () =>
      new Outbox(
        id,
        (body, revision) =>
          data(
            client.PUT("/api/designs/{identity}", { params: { path: { identity: id }, header: { "if-match": `"${revision}"` } }, body }),
          ),
        { keeping: setKeeping, refused: setFault, saved: (as) => (setHead(as.revision), setFaults([]), setFault(undefined)) },
      ),
    [id],
  )

  /** Solve a design and, if it can be taken, make it the present one. Resolves to the refusal, or null. */
  const take = useCallback(
    async (next: Design, edited?: string): Promise<Problem | null> => {
      const mine = ++latest.current
      const began = performance.now()
      try {
        const answer = await queries.fetchQuery({
          queryKey: ["solve", next, edited],
          queryFn: () =>
            data(
              client.POST("/api/solve", {
                body: {
                  brief: next.brief!,
                  pins: next.pins,
                  rules: next.rules,
                  house: next.house ?? {},
                  route: next.route,
                  waivers: next.waivers,
                  edited,
                },
              }),
            ),
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
    },
    [queries],
  )

  useEffect(() => {
    let gone = false
    const load = async () => {
      try {
        const stored = await data(client.GET("/api/designs/{identity}", { params: { path: { identity: id } } }))
        if (gone) return
        let unsent = waiting(id)
        let problem = await take(unsent ? unsent.design : stored.design)
        if (unsent && problem?.status === 422) {
          setAside(id, problem.detail)
          unsent = null
          problem = await take(stored.design)
        }
        if (gone) return
        outbox.release(stored.revision)
        setHead(stored.revision)
        setAsideShown(readAside(id))
        if (problem) setFault(problem.detail)
        if (unsent) {
          void outbox.resume(unsent)
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
  }, [id, outbox, take])

  // what is typed while the last change is still being sized comes on top of it
  const turns = useTurns()
  const [pending, setPending] = useState(0)
  const inTurn = useCallback(
    <T>(work: () => Promise<T>): Promise<T> => {
      setPending((n) => n + 1)
      return turns(work).finally(() => setPending((n) => n - 1))
    },
    [turns],
  )

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
        void outbox.keep({ ...next, brief: present.current?.brief ?? next.brief })
        return null
      }),
    [inTurn, outbox, setTrail, take],
  )

  const step = useCallback(
    (back: boolean) =>
      inTurn(async () => {
        const { past, future } = trail.current
        const [target, now] = [(back ? past : future).at(-1), present.current]
        if (!target || !now || (await take(target))) return
        if (back) setTrail(past.slice(0, -1), [...future, now])
        else setTrail([...past, now], future.slice(0, -1))
        void outbox.keep(target)
      }),
    [inTurn, outbox, setTrail, take],
  )

  /** After a conflict, or where the design was archived: put mine on top of what stands, restored if need be; or leave that as it
   * is, and keep mine as a copy. */
  const resolve = useCallback(
    async (mine: boolean) => {
      if (!("theirs" in keeping) || !design) return
      const { theirs } = keeping
      if (mine && theirs.deleted) await data(client.POST("/api/designs/{identity}/restore", { params: { path: { identity: id } } }))
      outbox.release(theirs.revision)
      if (mine) void outbox.keep(design)
      else {
        const copy = await data(client.POST("/api/designs", { body: { ...design, name: `${design.name} (other tab)`.slice(0, 80) } }))
        outbox.drop()
        setTrail([], [])
        await take(theirs.design)
        setHead(theirs.revision)
        setKeeping({ state: "kept", at: new Date(theirs.saved) })
        return copy.design.name
      }
    },
    [design, id, keeping, outbox, setTrail, take],
  )

  /** Discard a change that could not be taken. */
  const forget = useCallback(() => {
    forgetAside(id)
    setAsideShown(null)
  }, [id])

  return {
    id,
    head,
    faults,
    aside,
    forget,
    design,
    solved,
    /** Keep the design without what could not be read of it. */
    mend: () => design && outbox.keep(design),
    keeping,
    /** A change is being worked out: it is not saved yet. */
    pending: pending > 0,
    fault,
    took,
    moved,
    change,
    resolve,
    undo: trail.current.past.length ? () => step(true) : null,
    redo: trail.current.future.length ? () => step(false) : null,
  }
}

export type DesignHandle = ReturnType<typeof useDesign>
