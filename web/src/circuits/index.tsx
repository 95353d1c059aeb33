import type { BlockReport } from "../api/client"
import { FrontEndCircuit } from "./frontEnds"
import { BatteryCircuit, InputCircuit, TransformerCircuit } from "./lowSide"
import { BridgeCircuit, FilterCircuit, LinkCircuit, LoadCircuit, RectifierCircuit } from "./highSide"

export type Values = Record<string, string>

const BY_BLOCK: Record<string, (p: { v: Values }) => React.ReactNode> = {
  battery: BatteryCircuit,
  input_stage: InputCircuit,
  front_end: FrontEndCircuit,
  transformer: TransformerCircuit,
  iron_transformer: TransformerCircuit,
  rectifier: RectifierCircuit,
  dc_link: LinkCircuit,
  h_bridge: BridgeCircuit,
  output_filter: FilterCircuit,
  load: LoadCircuit,
}

/** The circuit of a block with its live values. */
export function Circuit({ block }: { block: BlockReport }) {
  const Drawn = BY_BLOCK[block.key]
  if (!Drawn) return null
  return (
    <svg viewBox="0 0 470 194" width="100%" role="img" aria-label={`circuit of the ${block.title.toLowerCase()}`} style={{ color: "var(--chakra-colors-ink)", display: "block" }}>
      <Drawn v={block.drawing} />
    </svg>
  )
}
