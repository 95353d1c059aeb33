import { Dialog, Portal, Text } from "@chakra-ui/react"

import { Plain, Strong } from "../ui/Page"
import type { DesignHandle } from "./useDesign"

/** Two tabs saved, or one put the design away: both versions are kept, and the person says which one goes on. */
export function Conflict({ handle }: { handle: DesignHandle }) {
  const { keeping } = handle
  if (!("theirs" in keeping)) return null
  const gone = keeping.state === "archived"
  return (
    <Dialog.Root open role="alertdialog">
      <Portal>
        <Dialog.Backdrop bg="blackAlpha.500" />
        <Dialog.Positioner>
          <Dialog.Content className="rhombos" bg="sheet" color="ink" borderRadius="4px" data-testid="conflict">
            <Dialog.Header>
              <Dialog.Title>{gone ? "This design was archived in between" : "This design was saved elsewhere in between"}</Dialog.Title>
            </Dialog.Header>
            <Dialog.Body>
              <Text>
                {gone
                  ? `Another tab or person put “${keeping.theirs.design.name}” away. Nothing is lost: restore it and save your change on top, or leave it and keep yours as a copy of its own.`
                  : `Another tab or person saved “${keeping.theirs.design.name}” as revision ${keeping.theirs.revision}. Nothing is lost: keep yours on top and theirs stays in the history, or take theirs and yours is kept as a copy of its own.`}
              </Text>
            </Dialog.Body>
            <Dialog.Footer>
              <Plain onClick={() => void handle.resolve(false)} data-testid="take-theirs">
                {gone ? "Leave it, keep mine as a copy" : "Take theirs, keep mine as a copy"}
              </Plain>
              <Strong onClick={() => void handle.resolve(true)} data-testid="keep-mine">
                {gone ? "Restore and save" : "Keep mine on top"}
              </Strong>
            </Dialog.Footer>
          </Dialog.Content>
        </Dialog.Positioner>
      </Portal>
    </Dialog.Root>
  )
}
