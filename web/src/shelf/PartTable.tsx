import "./shelf.css"

import {
  createColumnHelper,
  createSortedRowModel,
  rowSortingFeature,
  sortFn_basic,
  sortFn_text,
  tableFeatures,
  useTable,
} from "@tanstack/react-table"
import { useVirtualizer } from "@tanstack/react-virtual"
import { useEffect, useMemo, useRef } from "react"

import type { PartColumn, PartLine } from "../api/client"
import { useCurrency } from "../api/hooks"

const HEIGHT = 31
const features = tableFeatures({
  rowSortingFeature,
  sortedRowModel: createSortedRowModel(),
  sortFns: { basic: sortFn_basic, text: sortFn_text },
})
const helper = createColumnHelper<typeof features, PartLine>()
const ARIA = { asc: "ascending", desc: "descending" } as const
const ARROW = { asc: " ↑", desc: " ↓" } as const

/** What a line says of the drawer. */
export const stocked = ({ stock }: PartLine) => (stock ? `${stock.count} ${stock.condition}` : "")

/** A kind of part as a table of its ratings, sorted by a click on a heading; only lines in sight are drawn. */
export function PartTable({
  columns: fields,
  rows: parts,
  chosen,
  choose,
}: {
  columns: readonly PartColumn[]
  rows: PartLine[]
  chosen: string | undefined
  choose: (id: string) => void
}) {
  const currency = useCurrency()
  const columns = useMemo(
    () =>
      helper.columns([
        helper.accessor("id", { header: "designation", sortFn: "text" }),
        helper.accessor((p) => p.stock?.count, { id: "stock", header: "in the drawer", sortFn: "basic", sortUndefined: "last" }),
        ...fields.map((f) =>
          helper.accessor((p) => p.numbers[f.name] ?? p.cells[f.name], {
            id: f.name,
            header: f.name === "price" ? `${f.title}, ${currency}` : f.title,
            sortFn: f.filled === "number" ? "basic" : "text",
          }),
        ),
      ]),
    [fields, currency],
  )
  const table = useTable({ features, columns, data: parts, getRowId: (p) => p.id, sortDescFirst: false })
  const scroll = useRef<HTMLDivElement>(null)
  const lines = table.getRowModel().rows
  const virtual = useVirtualizer({
    count: lines.length,
    getScrollElement: () => scroll.current,
    estimateSize: () => HEIGHT,
    overscan: 12,
    getItemKey: (i) => lines[i]?.id ?? i,
  })
  const place = chosen === undefined ? -1 : lines.findIndex((line) => line.id === chosen)
  useEffect(() => {
    const { startIndex, endIndex } = virtual.range ?? { startIndex: 0, endIndex: 0 }
    const inSight = place > startIndex && place < endIndex - 1
    if (place >= 0 && !inSight) virtual.scrollToIndex(place, { align: "center" }) // what came by address is brought into sight
  }, [place, virtual])
  const seen = virtual.getVirtualItems()
  const above = seen[0]?.start ?? 0
  const below = virtual.getTotalSize() - (seen[seen.length - 1]?.end ?? 0)
  const numeric = new Set(fields.filter((f) => f.filled === "number").map((f) => f.name))
  return (
    <div ref={scroll} className="parts" tabIndex={0} role="region" aria-label="parts">
      <table data-testid="part-table">
        <thead>
          {table.getHeaderGroups().map((group) => (
            <tr key={group.id}>
              {group.headers.map((h) => {
                const sorted = h.column.getIsSorted()
                return (
                  <th key={h.id} scope="col" aria-sort={sorted ? ARIA[sorted] : "none"} data-numeric={numeric.has(h.id)}>
                    <button type="button" onClick={h.column.getToggleSortingHandler()} data-testid={`sort-${h.id}`}>
                      <table.FlexRender header={h} />
                      {sorted && ARROW[sorted]}
                    </button>
                  </th>
                )
              })}
            </tr>
          ))}
        </thead>
        <tbody>
          {above > 0 && <tr style={{ height: above }} aria-hidden />}
          {seen.map(({ index }) => {
            const part = lines[index]!.original
            return (
              <tr key={part.id} data-chosen={part.id === chosen} onClick={() => choose(part.id)} data-testid={`part-${part.id}`}>
                <th scope="row">
                  <button type="button" onClick={() => choose(part.id)} aria-pressed={part.id === chosen} data-own={part.origin === "own"}>
                    {part.id}
                  </button>
                </th>
                <td>{stocked(part)}</td>
                {fields.map((f) => (
                  <td key={f.name} data-numeric={numeric.has(f.name)}>
                    {part.cells[f.name]}
                  </td>
                ))}
              </tr>
            )
          })}
          {below > 0 && <tr style={{ height: below }} aria-hidden />}
        </tbody>
      </table>
    </div>
  )
}
