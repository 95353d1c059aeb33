import { Box, Flex, Input, Text, VisuallyHidden } from "@chakra-ui/react"
import { useEffect, useState } from "react"
import { Link } from "react-router"

import { Key, Mark, ModeSwitch, Quiet } from "../ui/Page"
import type { DesignHandle } from "./useDesign"

interface Props {
  handle: DesignHandle
  asked: string
  brief: boolean
  showBrief: () => void
  view: string | null
  show: (view: string) => void
  views: string[]
  find: () => void
}

/** The key of each view that fills the bench. */
const KEYS: Record<string, string> = { routes: "R", magnetics: "M", waves: "W", margins: "A", parts: "L", record: "E", history: "Y" }

/** The bench's bar: name, brief in a line, whether it is kept, undo and redo. */
export function TopBar({ handle, asked, brief, showBrief, view, show, views, find }: Props) {
  const { design, keeping, undo, redo } = handle
  return (
    <Flex as="header" align="center" gap="3" px="5" h="45px" bg="sheet" borderBottom="1px solid" borderColor="hair" className="screen-only">
      <Link to="/" aria-label="all designs" title="all designs">
        <Mark />
      </Link>
      <VisuallyHidden asChild>
        <h1>{design?.name}</h1>
      </VisuallyHidden>
      <Name key={design?.name} name={design?.name ?? ""} rename={(name) => void handle.change({ name })} />
      <Box
        as="button"
        fontSize="sm"
        color={brief ? "copper" : "ink.soft"}
        truncate
        minW="0"
        textAlign="left"
        textDecoration="underline"
        textDecorationColor="hair"
        textUnderlineOffset="3px"
        _hover={{ color: "ink" }}
        onClick={showBrief}
        data-testid="show-brief"
        title="change the brief (key 0)"
      >
        {asked}
      </Box>
      <Flex ml="auto" gap={{ base: "1.5", xl: "3" }} align="center" flexShrink="0" fontSize="sm">
        <Kept handle={handle} state={handle.pending && keeping.state === "kept" ? "pending" : keeping.state} />
        <Quiet disabled={!undo} onClick={() => void undo?.()} data-testid="undo" title="Ctrl Z">
          undo
        </Quiet>
        <Quiet disabled={!redo} onClick={() => void redo?.()} data-testid="redo" title="Ctrl Shift Z">
          redo
        </Quiet>
        {views.map((name) => (
          <Quiet
            key={name}
            onClick={() => show(name)}
            color={view === name ? "copper" : "ink.soft"}
            data-testid={`show-${name}`}
            title={`key ${KEYS[name]}`}
          >
            {name}
          </Quiet>
        ))}
        <Quiet asChild hideBelow="2xl">
          <Link to="/book">book</Link>
        </Quiet>
        <Quiet asChild hideBelow="2xl">
          <Link to="/shelf">shelf</Link>
        </Quiet>
        <Quiet onClick={find} data-testid="find">
          find <Key>Ctrl K</Key>
        </Quiet>
        <ModeSwitch />
      </Flex>
    </Flex>
  )
}

function Name({ name, rename }: { name: string; rename: (name: string) => void }) {
  const [text, setText] = useState(name)
  useEffect(() => {
    document.title = `${name} · Rhombos`
  }, [name])
  const take = () => (text.trim() ? rename(text.trim()) : setText(name))
  return (
    <Input
      variant="flushed"
      size="sm"
      w={`${Math.min(30, Math.max(8, text.length + 1))}ch`}
      maxW={{ base: "15ch", xl: "30ch" }}
      flexShrink="0"
      fontWeight="700"
      fontSize="17px"
      borderColor="transparent"
      value={text}
      maxLength={80}
      aria-label="name of the design"
      data-testid="design-name"
      onChange={(e) => setText(e.target.value)}
      onBlur={take}
      onKeyDown={(e) => (e.stopPropagation(), e.key === "Enter" && e.currentTarget.blur())}
    />
  )
}

function Kept({ handle, state }: { handle: DesignHandle; state: string }) {
  const at = handle.keeping.at?.toLocaleTimeString([], { hour: "2-digit", minute: "2-digit", hour12: false })
  const said: Record<string, string> = {
    kept: `saved ${at ?? ""}`,
    pending: "calculating …",
    saving: "saving …",
    waiting: "database unreachable, saved in this browser",
    conflict: "changed elsewhere",
    archived: "archived elsewhere",
  }
  return (
    <Text
      color={["waiting", "conflict", "archived"].includes(state) ? "fix" : "ink.soft"}
      data-testid="kept"
      data-state={state}
      aria-live="polite"
      whiteSpace="nowrap"
    >
      {said[state]}
    </Text>
  )
}
