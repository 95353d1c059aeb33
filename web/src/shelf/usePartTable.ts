import { useQuery } from "@tanstack/react-query"
import { useRef } from "react"

import { client, data, type PartTable } from "../api/client"

/** A column of figures, and what it is to lie between, as typed. */
export interface Bound {
  name: string
  from: string
  to: string
}

const typed = (bounds: readonly Bound[], side: "from" | "to") => bounds.filter((b) => b[side]).map((b) => `${b.name}:${b[side]}`)

/** Parts of a kind with their ratings within bounds; the last table stays until the next is there, and while a bound is refused. */
export function usePartTable(kind: string, bounds: readonly Bound[]) {
  const good = useRef<{ kind: string; table: PartTable }>(undefined)
  const asked = useQuery<PartTable>({
    queryKey: ["part-table", kind, bounds],
    queryFn: ({ signal }) =>
      data(
        client.GET("/api/shelf/{kind}/table", {
          signal,
          params: { path: { kind }, query: { lowest: typed(bounds, "from"), highest: typed(bounds, "to") } },
        }),
      ),
  })
  if (asked.data) good.current = { kind, table: asked.data }
  return { table: good.current?.kind === kind ? good.current.table : undefined, error: asked.error }
}

/** The fields of a kind to fill in, like a part where one is named. */
export const usePartForm = (kind: string, like: string) =>
  useQuery({
    queryKey: ["part-form", kind, like],
    staleTime: 0,
    queryFn: () => data(client.GET("/api/shelf/{kind}/form", { params: { path: { kind }, query: { like } } })),
  })
