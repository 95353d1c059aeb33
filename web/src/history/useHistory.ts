import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query"

import { client, data } from "../api/client"

/** A design's revisions in bursts of edits; `head` is the newest that this page knows of. */
export const useHistory = (identity: string | undefined, head: number) =>
  useQuery({
    queryKey: ["history", identity, head],
    enabled: identity !== undefined,
    staleTime: 0,
    placeholderData: (last) => last,
    queryFn: () => data(client.GET("/api/designs/{identity}/history", { params: { path: { identity: identity ?? "" } } })),
  })

export type Burst = NonNullable<ReturnType<typeof useHistory>["data"]>[number]
export type Revision = Burst["revisions"][number]

/** What a revision changed against the one before it, or `since` another. */
export const useChanges = (identity: string, number: number | undefined, since?: number) =>
  useQuery({
    queryKey: ["changes", identity, number, since],
    enabled: number !== undefined,
    queryFn: () =>
      data(
        client.GET("/api/designs/{identity}/revisions/{number}/changes", {
          params: { path: { identity, number: number ?? 1 }, query: { since } },
        }),
      ),
  })

/** A revision sized with what the drawer held when it was saved. */
export const useSizedThen = (identity: string, number: number) =>
  useQuery({
    queryKey: ["sized-then", identity, number],
    staleTime: 0,
    queryFn: ({ signal }) =>
      data(client.GET("/api/designs/{identity}/revisions/{number}/sized", { signal, params: { path: { identity, number } } })),
  })

/** Give a revision a name. */
export function useNaming(identity: string) {
  const queries = useQueryClient()
  return useMutation({
    mutationFn: ({ number, label }: { number: number; label: string }) =>
      data(client.PUT("/api/designs/{identity}/revisions/{number}/label", { params: { path: { identity, number } }, body: { label } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["history", identity] }),
  })
}
