import { Dialog, Portal, Text } from "@chakra-ui/react"

import { Plain, Strong } from "../ui/Page"
import type { DesignHandle } from "./useDesign"

/** Two tabs saved: both versions are kept, and the person says which one goes on. */
export function Conflict({ handle }: { handle: DesignHandle }) {
  const { keeping } = handle
  if (keeping.state !== "conflict") return null
  return (
    <Dialog.Root open role="alertdialog">
      <Portal>
        <Dialog.Backdrop bg="blackAlpha.500" />
        <Dialog.Positioner>
          <Dialog.Content className="rhombos" bg="sheet" color="ink" borderRadius="4px" data-testid="conflict">
            <Dialog.Header>
              <Dialog.Title>This design was saved elsewhere in between</Dialog.Title>
            </Dialog.Header>
            <Dialog.Body>
              <Text>
                Another tab or person saved “{keeping.theirs.design.name}” as revision {keeping.theirs.revision}. Nothing is lost: keep
                yours on top and theirs stays in the history, or take theirs and yours is kept as a copy of its own.
              </Text>
            </Dialog.Body>
            <Dialog.Footer>
              <Plain onClick={() => void handle.resolve(false)} data-testid="take-theirs">
                Take theirs, keep mine as a copy
              </Plain>
              <Strong onClick={() => void handle.resolve(true)} data-testid="keep-mine">
                Keep mine on top
              </Strong>
            </Dialog.Footer>
          </Dialog.Content>
        </Dialog.Positioner>
      </Portal>
    </Dialog.Root>
  )
}
