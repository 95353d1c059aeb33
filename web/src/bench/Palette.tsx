import { Dialog, Portal } from "@chakra-ui/react"
import { Command } from "cmdk"
import { useNavigate } from "react-router"

import { useDesigns } from "../api/hooks"
import type { Solution } from "../api/client"

export interface Action {
  name: string
  keys?: string
  run: () => void
}

interface Props {
  open: boolean
  close: () => void
  solution: Solution
  actions: Action[]
  go: (block: string, address?: string) => void
}

/** Find anything: blocks, figures, findings, designs, commands. */
export function Palette({ open, close, solution, actions, go }: Props) {
  const navigate = useNavigate()
  const designs = useDesigns(false)
  const done = (run: () => void) => () => {
    close()
    run()
  }
  return (
    <Dialog.Root open={open} onOpenChange={(e) => !e.open && close()} placement="top" size="md">
      <Portal>
        <Dialog.Backdrop bg="blackAlpha.500" />
        <Dialog.Positioner>
          <Dialog.Content className="rhombos" bg="sheet" color="ink" borderRadius="4px" overflow="hidden" data-testid="palette">
            <Command label="find anything" loop className="palette">
              <Command.Input placeholder="a figure, a block, a design, a command" autoFocus />
              <Command.List>
                <Command.Empty>Nothing of that name.</Command.Empty>
                <Command.Group heading="Commands">
                  {actions.map((a) => (
                    <Command.Item key={a.name} onSelect={done(a.run)}>
                      {a.name}
                      {a.keys && <kbd>{a.keys}</kbd>}
                    </Command.Item>
                  ))}
                </Command.Group>
                <Command.Group heading="Blocks">
                  {solution.blocks.map((b, i) => (
                    <Command.Item key={b.key} onSelect={done(() => go(b.key))}>
                      {b.title} <kbd>{i + 1}</kbd>
                    </Command.Item>
                  ))}
                </Command.Group>
                <Command.Group heading="Figures">
                  {solution.blocks.flatMap((b) =>
                    b.figures.map((f, i) => (
                      <Command.Item
                        key={`${f.address}${i}`}
                        value={`${b.title} ${f.title} ${i}`}
                        onSelect={done(() => go(b.key, f.address))}
                      >
                        {b.title}: {f.title} <span>{f.text}</span>
                      </Command.Item>
                    )),
                  )}
                </Command.Group>
                <Command.Group heading="Designs">
                  {designs.data?.map((d) => (
                    <Command.Item key={d.id} value={`design ${d.name} ${d.id}`} onSelect={done(() => navigate(`/design/${d.id}`))}>
                      {d.name}
                    </Command.Item>
                  ))}
                </Command.Group>
              </Command.List>
            </Command>
          </Dialog.Content>
        </Dialog.Positioner>
      </Portal>
    </Dialog.Root>
  )
}
