/** Where the current goes in each interval, over the circuit of its block. */
const PATHS: Record<string, string> = {
  "push-pull:a": "M27 76H236V28H150V172H27",
  "push-pull:a-off": "M236 76V28H150V12H430V76",
  "push-pull:b": "M27 76H236V124H316V172H27",
  "push-pull:b-off": "M236 76V124H316V112H344V58H392V12H430V76",
  "half-bridge:a": "M43 20H300V94H130V168H43",
  "half-bridge:a-off": "M43 168H300V94H130V20H43",
  "half-bridge:b": "M43 20H130V94H300V168H43",
  "half-bridge:b-off": "M43 168H130V94H300V20H43",
  "full bridge:a": "M43 20H150V94H300V168H43",
  "full bridge:a-off": "M43 168H150V94H300V20H43",
  "full bridge:b": "M43 20H300V94H150V168H43",
  "full bridge:b-off": "M43 168H300V94H150V20H43",
  "bridge:plus": "M63 20H170V94H330V168H63",
  "bridge:minus": "M63 20H330V94H170V168H63",
  "bridge:high": "M170 94H330V20H170V94",
  "bridge:low": "M170 94H330V168H170V94",
}

/** The way of the current in one interval, drawn over the circuit. */
export const CurrentPath = ({ path }: { path: string }) =>
  PATHS[path] ? (
    <g data-testid="current-path" data-path={path}>
      <path d={PATHS[path]} fill="none" stroke="var(--chakra-colors-copper)" strokeWidth="5" strokeLinejoin="round" opacity="0.45" />
      <path d={PATHS[path]} fill="none" stroke="var(--chakra-colors-copper)" strokeWidth="2" strokeDasharray="9 7" strokeLinejoin="round">
        <animate attributeName="stroke-dashoffset" from="16" to="0" dur="0.8s" repeatCount="indefinite" />
      </path>
    </g>
  ) : null
