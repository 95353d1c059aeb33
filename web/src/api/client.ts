import createClient from "openapi-fetch"

import type { components, paths } from "./schema"

export const client = createClient<paths>({ baseUrl: "" })

type Schemas = components["schemas"]
export type Design = Schemas["Design"]
export type DesignOut = Schemas["DesignOut"]
export type DesignLine = Schemas["DesignLine"]
export type Solved = Schemas["Solved"]
export type Solution = Schemas["Solution"]
export type ListedPart = Schemas["ListedPart"]
export type BlockReport = Schemas["BlockReport"]
export type DrawingData = Schemas["Drawing"]
export type Figure = Schemas["Figure"]
export type Finding = Schemas["Finding"]
export type Step = Schemas["StepOut"]
export type Chart = Schemas["Chart"]
export type BatterySource = Schemas["BatterySource"]
export type BriefField = Schemas["BriefField"]
export type RuleField = Schemas["RuleField"]
export type RelationOut = Schemas["RelationOut"]
export type PartOut = Schemas["PartOut"]
export type PartColumn = Schemas["PartColumn"]
export type PartTable = Schemas["PartTable"]
export type Heading = Schemas["Heading"]
export type PartLine = Schemas["PartLine"]
export type Stock = Schemas["Stock"]
export type Compared = Schemas["RoutesCompared"]
export type Comparison = Schemas["Comparison"]
export type RouteRow = Schemas["Row"]
export type Weights = Schemas["Weights"]
export type CoilBench = Schemas["CoilBench"]
export type OptionTable = Schemas["OptionTable"]
export type School = Schemas["School"]
export type Look = Schemas["ScopeAsked"]
export type Trigger = Schemas["Trigger"]
export type ScopeSeen = Schemas["ScopeSeen"]
export type ModulationBench = Schemas["ModulationBench"]
export type WindingSheet = Schemas["WindingSheet"]
/** A problem document; where a design was not saved, with how it stands. */
export type Problem = Schemas["ProblemDocument"] & Partial<Pick<Schemas["Standing"], "current">>
export type Answer = Schemas["Answer"]
export type PinValue = string | number | boolean | null
export type Severity = Finding["severity"]

const AGAIN = 1000
const TIMES = 8

/** A refusal of the server, with its problem document. */
export class Refusal extends Error {
  constructor(
    readonly status: number,
    readonly problem: Problem,
    /** When to come again, ms, as the server says. */
    readonly again = AGAIN,
  ) {
    super(problem.detail)
  }

  /** Whether the server or its database cannot be reached just now: the same again will succeed. */
  get away(): boolean {
    return [0, 502, 503, 504].includes(this.status)
  }
}

/** Whether, and after how many ms, to ask a busy or absent server again. */
export const retry = (times: number, error: Error) => error instanceof Refusal && error.away && times < TIMES
export const retryDelay = (_: number, error: Error) => (error instanceof Refusal ? error.again : AGAIN)

const told = (title: string, status: number, detail: string): Problem => ({ type: "about:blank", title, status, detail, problems: [] })

/** An answer that ended before it was whole. */
export const cut = () => new Refusal(503, told("Cut short", 503, "The answer ended before it was whole; it is asked for again."))

const isProblem = (error: unknown): error is Problem =>
  typeof error === "object" && error !== null && "detail" in error && "status" in error && "title" in error

type Reply<T> = { data?: T; error?: unknown; response: Response }

/** The data of an answer. Throws Refusal, also when the server cannot be reached. */
export async function data<T>(asked: Promise<Reply<T>>): Promise<T> {
  let answer: Reply<T>
  try {
    answer = await asked
  } catch {
    throw new Refusal(0, told("No answer", 0, "The server does not answer; is Rhombos still running?"))
  }
  if (answer.response.ok) return answer.data as T
  const problem = isProblem(answer.error) ? answer.error : undefined
  const status = answer.response.status
  if (status === 401) window.location.reload() // the server asks for its access key in place of the page
  const again = Number(answer.response.headers.get("Retry-After")) * 1000 || AGAIN
  throw new Refusal(status, problem?.detail ? problem : told("Refused", status, `The server answered ${status}.`), again)
}
