import "./figures.css"

import { Box } from "@chakra-ui/react"
import { memo, useId, useState } from "react"
import { Link } from "react-router"

import type { Figure, PinValue, Problem } from "../api/client"
import { PinGem } from "../ui/Lozenge"
import { Fault } from "../ui/Page"
import { same } from "../ui/same"
import { Tex } from "../ui/Tex"
import { toldBy } from "../ui/TypedLine"
import { ValueField } from "./ValueField"

interface Props {
  figures: readonly Figure[]
  chosen: Figure | null
  open: (figure: Figure) => void
  pin: (address: string, value: PinValue) => Promise<Problem | null>
}

/** The figures of a block: stresses against their limits, choices that can be pinned, results. */
export const Figures = (props: Props) => (
  <Box role="table" aria-label="figures">
    {props.figures.map((f, i) => (
      <Row
        key={`${f.address}-${i}`}
        figure={f}
        here={props.chosen?.address === f.address && props.chosen.title === f.title}
        open={props.open}
        pin={props.pin}
      />
    ))}
  </Box>
)

type RowProps = { figure: Figure; here: boolean } & Pick<Props, "open" | "pin">

const Row = memo(Line, (a, b) => a.here === b.here && a.open === b.open && a.pin === b.pin && same(a.figure, b.figure))

function Line({ figure: f, here, open, pin }: RowProps) {
  const [editing, setEditing] = useState(false)
  const [refused, setRefused] = useState<string>()
  const told = useId()
  const put = async (value: PinValue) => {
    const problem = await pin(f.pin ?? "", value)
    setRefused(toldBy(problem))
    if (!problem) setEditing(false)
    return problem === null
  }
  return (
    <div className="figure" data-here={here} data-testid={`figure-${f.address}`} data-status={f.status}>
      <div role="row" className="figure-row" title={f.asked ?? (f.point ? `at ${f.point}` : undefined)}>
        <div role="cell" className="figure-symbol">
          {f.symbol && <Tex>{f.symbol.replaceAll("–", "\\text{–}")}</Tex>}
        </div>
        <div role="cell" className="figure-title" title={f.title}>
          {f.title}
        </div>
        <div role="cell" className="figure-cell">
          {editing ? (
            <ValueField figure={f} put={put} leave={() => (setEditing(false), setRefused(undefined))} refused={refused && told} />
          ) : (
            <button
              className="figure-value"
              data-tone={f.severity}
              title={f.text}
              onClick={() => (f.pin ? setEditing(true) : open(f))}
              aria-label={`${f.title}, ${f.text}: ${f.pin ? "change" : "working"}`}
              data-testid={`value-${f.address}`}
            >
              {f.text}
            </button>
          )}
        </div>
        {f.rating_text ? <Gauge figure={f} open={open} /> : <State figure={f} editing={editing} put={put} open={open} />}
      </div>
      {refused && editing && (
        <Fault mb="1" id={told}>
          {refused}
        </Fault>
      )}
    </div>
  )
}

/** A stress as a bar against its rating, the house limit marked on it. */
const Gauge = ({ figure: f, open }: { figure: Figure; open: (f: Figure) => void }) => (
  <div role="cell" className="figure-cell">
    <button className="figure-side" onClick={() => open(f)} aria-label={`${f.title} against its rating, of ${f.rating_text}`}>
      <span className="figure-gauge" data-tone={f.severity}>
        <i style={{ width: `${Math.min(100, 100 * (f.stress ?? 0))}%` }} />
        <b style={{ left: `${100 * (f.house ?? 1)}%` }} />
      </span>
      <span className="figure-rating">of {f.rating_text}</span>
    </button>
  </div>
)

/** What the part is called on the parts list. */
const Reference = ({ figure: f }: { figure: Figure }) =>
  f.reference ? (
    <span className="figure-reference" title={`${f.reference} of the parts list`} data-testid={`reference-${f.address}`}>
      {f.reference}
    </span>
  ) : null

/** Whether a choice is proposed or pinned, with the way to let it go; a result opens its working. */
function State({
  figure: f,
  editing,
  put,
  open,
}: {
  figure: Figure
  editing: boolean
  put: (v: PinValue) => Promise<boolean>
  open: (f: Figure) => void
}) {
  if (f.status === "bought")
    return (
      <div role="cell" className="figure-side">
        {f.choice && (
          <Link to={`/shelf?kind=${f.part_kind}&part=${encodeURIComponent(f.choice)}`} aria-label={`${f.title} on the shelf: ${f.choice}`}>
            <u>on the shelf</u>
          </Link>
        )}
        <Reference figure={f} />
      </div>
    )
  if (f.status === "result")
    return (
      <div role="cell" className="figure-side">
        {f.step && (
          <button onClick={() => open(f)}>
            <u>working</u>
          </button>
        )}
      </div>
    )
  const pinned = f.status === "pinned"
  return (
    <div role="cell" className="figure-side" data-pinned={pinned}>
      <PinGem pinned={pinned} />
      {pinned ? "pinned" : "proposed"}
      {!editing && (
        <button onClick={() => put(pinned ? null : (f.choice ?? f.value ?? null))} data-testid={`${pinned ? "unpin" : "pin"}-${f.address}`}>
          <u>{pinned ? "unpin" : "pin"}</u>
        </button>
      )}
      <Reference figure={f} />
    </div>
  )
}
