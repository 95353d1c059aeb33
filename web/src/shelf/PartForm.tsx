import { Box, Flex, Input, NativeSelect, Text } from "@chakra-ui/react"
import { useState } from "react"

import { client, data, Refusal, type PartColumn } from "../api/client"
import { useCurrency } from "../api/hooks"
import { Fault, Foot, Plain, Strong } from "../ui/Page"
import { worded } from "./Kinds"
import { usePartForm } from "./usePartTable"

/** The field of every part that is no rating. */
export const DESIGNATION: PartColumn = {
  name: "id",
  title: "Designation",
  unit: "",
  filled: "text",
  choices: [],
  required: true,
  allowed: "",
  usual: "",
}

interface Props {
  kind: string
  like: string
  /** Whether the part itself is changed, not a copy of it. */
  change: boolean
  done: (kept: string | undefined) => void
}

/** A part of one's own, made from the fields of its kind. */
export function PartForm({ kind, like, change, done }: Props) {
  const form = usePartForm(kind, like)
  if (form.error) return <Fault>{form.error.message}</Fault>
  if (!form.data) return null
  return (
    <Fields
      key={`${kind} ${like}`}
      kind={kind}
      change={change}
      done={done}
      columns={form.data.columns}
      start={change ? form.data.values : { ...form.data.values, id: "" }}
    />
  )
}

function Fields({
  kind,
  change,
  done,
  columns,
  start,
}: Omit<Props, "like"> & { columns: readonly PartColumn[]; start: Record<string, string> }) {
  const [values, setValues] = useState(start)
  const [faults, setFaults] = useState<Record<string, string>>({})
  const [fault, setFault] = useState<string>()
  const save = async () => {
    try {
      await data(client.PUT("/api/shelf/{kind}/own", { params: { path: { kind } }, body: { values } }))
      done(values.id?.trim())
    } catch (error) {
      const told = error instanceof Refusal ? (error.problem.problems ?? []) : []
      setFaults(Object.fromEntries(told.map((p) => [p.field, p.message])))
      document.getElementById(`field-${told[0]?.field}`)?.focus()
      setFault(
        told.length ? `Not saved: ${told.length === 1 ? "one field needs" : `${told.length} fields need`} attention.` : String(error),
      )
    }
  }
  return (
    <Box as="form" data-testid="part-form" onSubmit={(e) => (e.preventDefault(), void save())}>
      <Text fontWeight="700" mb="1">
        {change ? "Change" : "New"} {worded(kind)}
      </Text>
      {[DESIGNATION, ...columns].map((c) => (
        <Field
          key={c.name}
          column={c}
          value={values[c.name] ?? ""}
          fault={faults[c.name]}
          fixed={change && c.name === "id"}
          set={(text) => setValues((now) => ({ ...now, [c.name]: text }))}
        />
      ))}
      <Foot>
        {fault && <Fault w="100%">{fault}</Fault>}
        <Strong type="submit" data-testid="save-part">
          Save
        </Strong>
        <Plain onClick={() => done(undefined)}>Cancel</Plain>
      </Foot>
    </Box>
  )
}

function Field({
  column: c,
  value,
  fault,
  fixed,
  set,
}: {
  column: PartColumn
  value: string
  fault: string | undefined
  fixed: boolean
  set: (text: string) => void
}) {
  const help = fault ?? [c.allowed, c.usual && `usually ${c.usual}`].filter(Boolean).join("; ")
  const currency = useCurrency()
  const about = { "aria-invalid": fault !== undefined, "aria-describedby": help ? `help-${c.name}` : undefined }
  return (
    <Box mb="3">
      <Flex asChild align="baseline" gap="2" fontSize="sm">
        <label htmlFor={`field-${c.name}`}>
          <Text flex="1">
            {c.title}
            {c.required && (
              <Text as="span" color="ink.soft">
                {" *"}
              </Text>
            )}
          </Text>
          <Text color="ink.soft" fontSize="12.5px">
            {c.name === "price" ? currency : c.unit}
          </Text>
        </label>
      </Flex>
      {c.filled === "choice" ? (
        <NativeSelect.Root size="sm">
          <NativeSelect.Field
            id={`field-${c.name}`}
            {...about}
            value={value}
            onChange={(e) => set(e.target.value)}
            data-testid={`field-${c.name}`}
          >
            <option value="">choose</option>
            {(c.choices ?? []).map((o) => (
              <option key={o} value={o}>
                {o}
              </option>
            ))}
          </NativeSelect.Field>
          <NativeSelect.Indicator />
        </NativeSelect.Root>
      ) : (
        <Input
          id={`field-${c.name}`}
          {...about}
          size="sm"
          fontFamily={c.filled === "number" ? "mono" : undefined}
          value={value}
          readOnly={fixed}
          maxLength={160}
          borderColor={fault ? "stop" : "hair"}
          onChange={(e) => set(e.target.value)}
          data-testid={`field-${c.name}`}
        />
      )}
      {help && (
        <Text id={`help-${c.name}`} fontSize="12px" color={fault ? "stop" : "ink.soft"} lineHeight="1.25" mt="0.5">
          {help}
        </Text>
      )}
    </Box>
  )
}
