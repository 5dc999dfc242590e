import createClient from 'openapi-fetch'
import type { components, paths } from '../gen/api'

export type CutView = components['schemas']['CutView']
export type CutSummary = components['schemas']['CutSummary']
export type PlanView = components['schemas']['PlanView']
export type FittingView = components['schemas']['FittingView']
export type SpliceView = components['schemas']['SpliceView']
export type LevelView = components['schemas']['LevelView']
export type Description = components['schemas']['Description']
export type Change = components['schemas']['Change']
/** What can be said about one side of a cut. */
export type Of<About extends Change['about']> = Extract<Change, { about: About }>
export type Correction = components['schemas']['Correction']
export type Figure = components['schemas']['Figure']
export type LevelName = components['schemas']['LevelName']
export type SpliceAt = components['schemas']['SpliceAt']
export type Standing = components['schemas']['Standing']
export type CandidateView = components['schemas']['CandidateView']
export type Kind = components['schemas']['Kind']
export type MomentKind = components['schemas']['MomentKind']
export type Opinion = components['schemas']['Opinion']
export type ShelfPieceView = components['schemas']['ShelfPieceView']
export type TakeView = components['schemas']['TakeView']
export type Wish = components['schemas']['Wish']
export type WishesView = components['schemas']['WishesView']
export type CloseUp = components['schemas']['CloseUp']
export type NaturalWaysView = components['schemas']['NaturalWaysView']
export type HouseFigures = components['schemas']['HouseFigures']
export type Terms = components['schemas']['Terms']
export type MetersView = components['schemas']['MetersView']
export type LevelChange = Partial<components['schemas']['LevelChange']>
export type AmbienceChange = Omit<components['schemas']['AmbienceChange'], 'sound'>
export type HandedView = components['schemas']['HandedView']
export type FamilyCutView = components['schemas']['FamilyCutView']
export type Form = components['schemas']['Form']
export type SoundForm = components['schemas']['SoundForm']
export type BedView = components['schemas']['BedView']
export type WaveformView = components['schemas']['WaveformView']
export type ProjectView = components['schemas']['ProjectView']
export type GivenLinkView = components['schemas']['GivenLinkView']
export type GivenView = components['schemas']['GivenView']
export type HeardView = components['schemas']['HeardView']
export type RemarkView = components['schemas']['RemarkView']
type ProblemBody = components['schemas']['ProblemBody']

/** The server, typed by its own OpenAPI document. */
export const server = createClient<paths>({ baseUrl: '/', fetch: (request) => globalThis.fetch(request) })

/** A problem that the server told, with what to do about it. */
export class Problem extends Error {
  constructor(
    message: string,
    readonly code: string,
  ) {
    super(message)
  }
}

/** The problem in an answer's body, whatever the body is. */
export function problemOf(body: unknown): Problem {
  const told = body as Partial<ProblemBody> | null | undefined
  if (told && typeof told === 'object' && told.detail) return new Problem(told.detail, told.code ?? 'unknown')
  return new Problem('The server did not answer. Is it running? Nothing was changed.', 'no-answer')
}

/** Whose session is over comes in again, and then back to where they were. */
function asked(problem: Problem): Problem {
  const here = window.location
  if (problem.code === 'sign-in' && !/^\/(sign-in|key|listen)/.test(here.pathname))
    here.assign(`/sign-in?to=${encodeURIComponent(here.pathname)}`)
  return problem
}

/** The data of an answer, or its problem thrown. */
export async function answer<T>(call: Promise<{ data?: T; error?: unknown; response: Response }>): Promise<T> {
  const result = await call.catch(() => {
    throw problemOf(null)
  })
  if (!result.response.ok) throw asked(problemOf(result.error))
  return result.data as T
}

/** What lies at an address that is itself the key of the answer. */
export async function answerAt<T>(url: string, signal?: AbortSignal): Promise<T> {
  const reply = await globalThis.fetch(url, { signal }).catch(() => {
    throw problemOf(null)
  })
  const body = await reply.json().catch(() => null)
  if (!reply.ok) throw asked(problemOf(body))
  return body as T
}

/** Sound that the server renders. */
export async function fetchSound(url: string, signal: AbortSignal): Promise<ArrayBuffer> {
  const answer = await globalThis.fetch(url, { signal })
  if (!answer.ok) throw problemOf(await answer.json().catch(() => null))
  return answer.arrayBuffer()
}

/** Sends a file with progress (0 to 1), which fetch cannot tell. */
export function sendFile<T>(url: string, file: File, progress: (share: number) => void): Promise<T> {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest()
    const form = new FormData()
    form.append('file', file)
    request.upload.onprogress = (event) => event.lengthComputable && progress(event.loaded / event.total)
    request.onerror = () => reject(problemOf(null))
    request.onload = () => {
      const body = parsed(request.responseText)
      if (request.status >= 200 && request.status < 300) resolve(body as T)
      else reject(problemOf(body))
    }
    request.open('POST', url)
    request.send(form)
  })
}

function parsed(text: string): unknown {
  try {
    return JSON.parse(text)
  } catch {
    return null
  }
}
