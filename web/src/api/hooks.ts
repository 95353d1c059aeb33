import { keepPreviousData, useQuery } from "@tanstack/react-query"
import { useState } from "react"

import { unpacked } from "../scope/record"
import { lines, whole } from "./lines"
import {
  client,
  data,
  Refusal,
  type Answer,
  type BatterySource,
  type Chart,
  type Compared,
  type Design,
  type Look,
  type Weights,
} from "./client"

/** Every design, or those archived. */
export const useDesigns = (deleted: boolean) =>
  useQuery({
    queryKey: ["designs", deleted],
    staleTime: 0,
    queryFn: () => data(client.GET("/api/designs", { params: { query: { deleted } } })),
  })

/** The presets of house rules with their reasons. */
export const useRules = () => useQuery({ queryKey: ["rules"], staleTime: Infinity, queryFn: () => data(client.GET("/api/rules")) })

/** Designs whose DC socket may feed another. */
export const useRails = () => useQuery({ queryKey: ["rails"], staleTime: 0, queryFn: () => data(client.GET("/api/rails")) })

/** A design as it now stands, archived or not. */
export const useOrigin = (identity: string | undefined) =>
  useQuery({
    queryKey: ["origin", identity],
    staleTime: 0,
    enabled: identity !== undefined,
    retry: false,
    queryFn: () => data(client.GET("/api/designs/{identity}", { params: { path: { identity: identity ?? "" } } })),
  })

/** The equation book. */
export const useBook = () => useQuery({ queryKey: ["book"], staleTime: Infinity, queryFn: () => data(client.GET("/api/book")) })

/** Parts of a kind, or of several joined by a bar. */
export const useParts = (kind: string | null) =>
  useQuery({
    queryKey: ["parts", kind],
    enabled: kind !== null,
    queryFn: () => data(client.GET("/api/shelf/{kind}", { params: { path: { kind: kind ?? "" } } })),
  })

/** Every kind of part with its count. */
export const useKinds = () => useQuery({ queryKey: ["kinds"], queryFn: () => data(client.GET("/api/shelf")) })

/** What prices are told in. */
export const useCurrency = () => useQuery({ queryKey: ["currency"], queryFn: () => data(client.GET("/api/currency")) }).data?.name ?? ""

/** What the server needs of a design to size it. */
export const asked = <M extends object>(design: Design | undefined, more: M = {} as M) => ({
  brief: design?.brief ?? {},
  pins: design?.pins,
  rules: design?.rules,
  house: design?.house,
  route: design?.route,
  ...more,
})

/** What an answer about a design depends on. */
const about = (design: Design | undefined) => [design?.brief, design?.pins, design?.rules, design?.house, design?.route]

/** The pictures of a block of a design as it now stands; the last ones stay until the next are there. */
export const useCharts = (design: Design | undefined, block: string) =>
  useQuery<Chart[]>({
    queryKey: ["charts", block, ...about(design)],
    enabled: design !== undefined && block !== "brief",
    queryFn: ({ signal }) =>
      data(
        client.POST("/api/charts/{block}", {
          signal,
          params: { path: { block } },
          body: asked(design),
        }),
      ),
    placeholderData: (last, query) => (query?.queryKey[1] === block ? last : undefined),
  })

/** Every route for a brief, ranked by weights, as the rows come; the last answer stays until the next begins. */
export const useCompare = (design: Design | undefined, weights: Weights | undefined) =>
  useQuery<Compared>({
    queryKey: ["compare", design?.brief, design?.rules, design?.house, weights],
    enabled: design !== undefined,
    placeholderData: keepPreviousData,
    queryFn: async ({ signal, client: queries, queryKey }) => {
      const body = { brief: design?.brief ?? {}, rules: design?.rules, house: design?.house, ...(weights ? { weights } : {}) }
      const grown = lines<Compared>(await data(client.POST("/api/compare/rows", { signal, body, parseAs: "stream" })))
      return whole(grown, (compared) => queries.setQueryData(queryKey, compared))
    },
  })

/** The switches on the shelf ranked for a stage of a design, once they are asked for. */
export const useSwitches = (design: Design | undefined, block: string, wanted: boolean) =>
  useQuery({
    queryKey: ["switches", block, ...about(design)],
    enabled: design !== undefined && wanted,
    queryFn: ({ signal }) =>
      data(client.POST("/api/switches/{block}", { signal, params: { path: { block: block as "front_end" } }, body: asked(design) })),
    placeholderData: (last, query) => (query?.queryKey[1] === block ? last : undefined),
  })

/** What another battery does to a design as it is built; the last answer stays until the next is there. */
export const useBatteryChange = (design: Design | undefined, source: BatterySource) =>
  useQuery({
    queryKey: ["battery-change", ...about(design), source],
    enabled: design !== undefined,
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) => data(client.POST("/api/battery-change", { signal, body: asked(design, { source }) })),
  })

/** What a design as built may be rated for. */
export const useRating = (design: Design | undefined) =>
  useQuery({
    queryKey: ["rating", ...about(design)],
    enabled: design !== undefined,
    queryFn: ({ signal }) => data(client.POST("/api/rating", { signal, body: asked(design) })),
  })

/** The magnetics benches of a design as it now stands; the last ones stay until the next are there. */
export const useCoils = (design: Design | undefined) =>
  useQuery({
    queryKey: ["coils", ...about(design)],
    enabled: design !== undefined,
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) => data(client.POST("/api/coils", { signal, body: asked(design) })),
  })

/** The parts list of a design as it now stands; the last one stays until the next is there. */
export const usePartsList = (design: Design | undefined) =>
  useQuery({
    queryKey: ["parts-list", ...about(design)],
    enabled: design !== undefined,
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) => data(client.POST("/api/parts", { signal, body: asked(design) })),
  })

/** The modulation bench of a design for a setting; the last one stays until the next is there. */
export const useModulation = (design: Design | undefined, setting: Record<string, string>) =>
  useQuery({
    queryKey: ["modulation", ...about(design), setting],
    enabled: design !== undefined,
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) => data(client.POST("/api/modulation", { signal, body: asked(design, { setting }) })),
  })

/** The loop that holds the output, for a setting; the last one stays until the next is there. */
export const useLoop = (design: Design | undefined, setting: Record<string, string>) =>
  useQuery({
    queryKey: ["voltage-loop", ...about(design), setting],
    enabled: design !== undefined,
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) => data(client.POST("/api/voltage-loop", { signal, body: asked(design, { setting }) })),
  })

/** What the scope reads of a design; the last readings stay until the next are there. */
export const useScope = (design: Design | undefined, look: Look) =>
  useQuery({
    queryKey: ["scope", ...about(design), look],
    enabled: design !== undefined,
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) => data(client.POST("/api/scope", { signal, body: asked(design, { look }) })),
  })

/** The numbers that the scope draws of a look at a design; the last ones stay while the next of the same event come. */
export const useDrawn = (design: Design | undefined, look: Look | undefined) =>
  useQuery({
    queryKey: ["drawn", ...about(design), look],
    enabled: design !== undefined && look !== undefined,
    gcTime: 60_000,
    queryFn: ({ signal }) =>
      data(client.POST("/api/scope/points", { signal, body: asked(design, { look }), parseAs: "arrayBuffer" })).then((raw) =>
        unpacked(raw),
      ),
  })

/** The sine table for a timer; the last one stays until the next is there. */
export const useSineTable = (asked: Record<string, unknown>) =>
  useQuery({
    queryKey: ["sine-table", asked],
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) => data(client.POST("/api/sine-table", { signal, body: asked })),
  })

/** The working of a relation with its numbers put in. */
export const useWorking = (relation: string | undefined, inputs: Record<string, number> | undefined) =>
  useQuery({
    queryKey: ["working", relation, inputs],
    enabled: relation !== undefined && relation !== "sum",
    staleTime: Infinity,
    queryFn: () =>
      data(
        client.POST("/api/book/{key}/work", { params: { path: { key: relation ?? "" } }, body: { values: inputs ?? {}, whole: false } }),
      ),
  })

/** A relation asked for whichever symbol is left out: its answer, or why there is none. */
export function useAsk(relation: string) {
  const [answer, setAnswer] = useState<Answer>()
  const [refused, setRefused] = useState<string>()
  const ask = async (values: Record<string, number | string>, whole = false) => {
    try {
      setAnswer(await data(client.POST("/api/book/{key}/work", { params: { path: { key: relation } }, body: { values, whole } })))
      setRefused(undefined)
    } catch (error) {
      setAnswer(undefined)
      setRefused(error instanceof Refusal ? error.message : String(error))
    }
  }
  return { answer, refused, ask, forget: () => setAnswer(undefined), refuse: setRefused }
}
