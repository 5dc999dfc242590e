import { shallowRef } from 'vue'
import { answer, server } from './http'
import { queries } from './query'
import type { components } from '../gen/api'

export type MeView = components['schemas']['MeView']
export type Role = components['schemas']['Role']

/** Who is signed in; null until that is known. */
export const me = shallowRef<MeView | null>(null)

/** Asks who is signed in, once, or again. */
export async function whoIsHere(again = false): Promise<MeView> {
  if (me.value && !again) return me.value
  const asked = { queryKey: ['me'], queryFn: () => answer(server.GET('/api/me')), meta: { toldBeside: true } }
  const here = await queries.fetchQuery(asked)
  me.value = here
  return here
}

/** Signs out of this browser, or of all. */
export async function signOut(everywhere = false): Promise<void> {
  await answer(everywhere ? server.DELETE('/api/session/everywhere') : server.DELETE('/api/session'))
  me.value = null
  window.location.assign('/sign-in')
}
