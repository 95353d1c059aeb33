import { Box, Button, Flex, HStack, Link, Text } from "@chakra-ui/react"
import { useEffect, useState, type ReactNode } from "react"
import { NavLink, Link as RouterLink } from "react-router"

import { applyMode, presentMode, type Mode } from "../theme"

/** The mark: a rhombus, as a bridge is drawn, around a sine. */
export const Mark = ({ size = 26 }: { size?: number }) => (
  <svg width={size} height={size} viewBox="0 0 32 32" role="img" aria-label="Rhombos">
    <path d="M16 2 30 16 16 30 2 16Z" fill="none" stroke="var(--chakra-colors-copper)" strokeWidth="2.6" />
    <path d="M9 16c2-5 5-5 7 0s5 5 7 0" fill="none" stroke="currentColor" strokeWidth="2.4" strokeLinecap="round" />
  </svg>
)

/** The light or dark switch. */
export function ModeSwitch() {
  const [mode, setMode] = useState<Mode>(presentMode)
  const next = mode === "dark" ? "light" : "dark"
  return (
    <Quiet onClick={() => (applyMode(next), setMode(next))} aria-label={`switch to ${next}`} data-testid="mode">
      {next}
    </Quiet>
  )
}

/** A text button that stays in the background. */
export const Quiet = (props: React.ComponentProps<typeof Button>) => (
  <Button
    variant="plain"
    size="sm"
    h="auto"
    minW="0"
    px="1"
    py="0.5"
    fontWeight="400"
    color="ink.soft"
    _hover={{ color: "ink" }}
    {...props}
  />
)

/** The one strong button of a place. */
export const Strong = (props: React.ComponentProps<typeof Button>) => (
  <Button size="sm" bg="copper" color="copper.ink" fontWeight="600" borderRadius="3px" _hover={{ opacity: 0.9 }} {...props} />
)

/** A button beside the strong one. */
export const Plain = (props: React.ComponentProps<typeof Button>) => (
  <Button
    size="sm"
    variant="outline"
    borderColor="hair"
    bg="sheet"
    color="ink"
    borderRadius="3px"
    fontWeight="500"
    _hover={{ borderColor: "ink.soft" }}
    {...props}
  />
)

/** The foot of a long panel: what ends it stays in sight. */
export const Foot = (props: React.ComponentProps<typeof Flex>) => (
  <Flex
    gap="2"
    mt="3"
    mx="-4"
    px="4"
    pt="2"
    pb="4"
    position="sticky"
    bottom="-16px"
    bg="sheet"
    borderTop="1px solid"
    borderColor="faint"
    wrap="wrap"
    {...props}
  />
)

/** A key of the keyboard. */
export const Key = ({ children }: { children: ReactNode }) => (
  <Box
    as="kbd"
    fontFamily="mono"
    fontSize="12px"
    px="1"
    border="1px solid"
    borderColor="hair"
    borderRadius="3px"
    bg="faint"
    color="ink.soft"
  >
    {children}
  </Box>
)

const TOP = [
  ["/", "designs"],
  ["/shelf", "shelf"],
  ["/precharge", "precharge"],
  ["/mains", "mains"],
  ["/book", "equation book"],
] as const

/** The bar of every page but the bench. */
export function Page({
  title,
  children,
  tools,
  whole,
}: {
  title: string
  children: ReactNode
  tools?: ReactNode
  /** Whether it fills the window, and scrolls within. */ whole?: boolean
}) {
  useEffect(() => {
    document.title = `${title} · Rhombos`
  }, [title])
  return (
    <Box className="rhombos" minH="100dvh" {...(whole && { h: "100dvh", display: "flex", flexDirection: "column" })}>
      <Flex as="header" flexShrink="0" align="center" gap="5" px="6" h="46px" bg="sheet" borderBottom="1px solid" borderColor="hair">
        <RouterLink to="/" aria-label="designs">
          <Mark />
        </RouterLink>
        <Text as="h1" fontWeight="700" fontSize="lg">
          {title}
        </Text>
        <HStack as="nav" gap="4" ml="auto">
          {TOP.map(([to, name]) => (
            <Link asChild key={to} color="ink.soft" fontSize="sm">
              <NavLink to={to} end style={({ isActive }) => (isActive ? { color: "var(--chakra-colors-copper)", fontWeight: 600 } : {})}>
                {name}
              </NavLink>
            </Link>
          ))}
          {tools}
          <ModeSwitch />
        </HStack>
      </Flex>
      <Box
        as="main"
        px="6"
        {...(whole ? { flex: 1, minH: 0, py: 4, display: "flex", flexDirection: "column" } : { maxW: "1180px", mx: "auto", py: 6 })}
      >
        {children}
      </Box>
    </Box>
  )
}

/** An address that leads nowhere. */
export const Nowhere = () => (
  <Page title="Nothing here">
    <Text>
      There is no such page. Go back to{" "}
      <RouterLink to="/" style={{ textDecoration: "underline" }}>
        the designs
      </RouterLink>
      .
    </Text>
  </Page>
)

/** A refusal or fault, told where it happened. */
export const Fault = ({ children, ...rest }: { children: ReactNode } & Record<string, unknown>) => (
  <Box role="alert" fontSize="sm" color="stop" borderLeft="3px solid" borderColor="stop" pl="2" py="0.5" data-testid="fault" {...rest}>
    {children}
  </Box>
)
