import { createSystem, defaultConfig, defineConfig } from "@chakra-ui/react"

const pair = (light: string, dark: string) => ({ value: { base: light, _dark: dark } })

/** Paper, graphite and copper; every text colour keeps 4.5 : 1 on its ground in both modes. */
const config = defineConfig({
  globalCss: {
    html: { fontSize: "15px", colorPalette: "gray" },
    body: { bg: "paper", color: "ink", fontFamily: "body", lineHeight: 1.4, overflowX: "hidden" },
    "*:focus-visible": { outline: "2px solid", outlineColor: "copper", outlineOffset: "2px" },
    "::selection": { bg: "copper.soft" },
    ".screen-only": { _print: { display: "none !important" } },
  },
  theme: {
    tokens: {
      fontSizes: { "2xs": { value: "12px" }, xs: { value: "12px" } },
      fonts: {
        heading: { value: "'Atkinson Hyperlegible Next Variable', sans-serif" },
        body: { value: "'Atkinson Hyperlegible Next Variable', sans-serif" },
        mono: { value: "'Atkinson Hyperlegible Mono Variable', monospace" },
      },
    },
    semanticTokens: {
      colors: {
        paper: pair("#f6f3ec", "#191c1f"),
        sheet: pair("#ffffff", "#212529"),
        ink: { DEFAULT: pair("#23282d", "#ebe6db"), soft: pair("#596068", "#a9adb0") },
        hair: pair("#d9d2c4", "#3a4046"),
        faint: pair("#ece7db", "#2a2f34"),
        copper: { DEFAULT: pair("#9c4e19", "#e39a62"), soft: pair("#e8c9ae", "#5d3f2a"), ink: pair("#ffffff", "#191c1f") },
        steel: { DEFAULT: pair("#3b6079", "#8db7d2"), soft: pair("#b8cbd8", "#3f5a6b") },
        stop: { DEFAULT: pair("#9c2731", "#f2919a"), soft: pair("#e5a8a6", "#7c3138") },
        fix: { DEFAULT: pair("#7c5a00", "#e6bd4a"), soft: pair("#ecd07c", "#6e5716") },
        watch: { DEFAULT: pair("#3b6079", "#8db7d2") },
        note: { DEFAULT: pair("#596068", "#a9adb0") },
      },
    },
  },
})

export const system = createSystem(defaultConfig, config)

export type Mode = "light" | "dark"

/** The mode kept in this browser, else the one the system prefers. */
export function presentMode(): Mode {
  const kept = localStorage.getItem("rhombos.mode")
  if (kept === "light" || kept === "dark") return kept
  return matchMedia("(prefers-color-scheme: dark)").matches ? "dark" : "light"
}

/** Put a mode on the page and keep it. */
export function applyMode(mode: Mode): void {
  document.documentElement.classList.toggle("dark", mode === "dark")
  document.documentElement.classList.toggle("light", mode === "light")
  document.documentElement.style.colorScheme = mode
  localStorage.setItem("rhombos.mode", mode)
  dispatchEvent(new Event("rhombos.mode"))
}

/** A colour of the theme as the page now shows it, for pictures drawn outside of it. */
export function shade(token: string): string {
  const name = `--chakra-colors-${token.replace(".", "-")}`
  const scope = document.querySelector(".rhombos") ?? document.documentElement
  return getComputedStyle(scope).getPropertyValue(name).trim() || "#888"
}
