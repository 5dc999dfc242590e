import { computed, ref, watch } from 'vue'
import { answer, server, type FamilyCutView, type Form } from '../../shared/http'
import { useAnswer } from '../../shared/query'
import { tell } from '../../shared/tell'
import { sameForm } from '../handing/useHanded'

/** What one asks for at once is looked at so often until it is there. */
const LOOK_MS = 700

/** A cut and its versions, and what can be done with all of them. `now` names the state of the cut that is open. */
export function useFamily(id: () => string, now: () => unknown) {
  const path = (of: string) => ({ params: { path: { id: of } } })
  const asking = ref(false)
  /** What is to be handed over of each, by its name, until it is there. */
  const wanted = ref<Record<string, { revision: number; form: Form }>>({})
  const isWanted = (cut: FamilyCutView) => cut.id in wanted.value
  const isBusy = (cuts: readonly FamilyCutView[] = []) => cuts.some((cut) => cut.works || isWanted(cut))
  const { data, refetch } = useAnswer(
    () => ['cut', id(), 'versions'],
    (signal) => answer(server.GET('/api/cuts/{id}/versions', { ...path(id()), signal })),
    { everyMs: (found) => (isBusy(found) ? LOOK_MS : false) },
  )
  const family = computed(() => data.value ?? [])
  const busy = computed(() => isBusy(family.value))
  watch(family, (found) => {
    for (const cut of found) {
      const asked = wanted.value[cut.id]
      const there = asked && cut.handed?.revision === asked.revision && sameForm(cut.handed.form, asked.form)
      if (there || cut.problem) delete wanted.value[cut.id]
    }
  })
  watch(now, () => void refetch())

  /** Does something and looks what came of it; says what did not work. */
  async function attempt(what: () => Promise<unknown>): Promise<boolean> {
    asking.value = true
    try {
      await what()
      return true
    } catch (cause) {
      tell(cause)
      return false
    } finally {
      asking.value = false
      await refetch()
    }
  }
  const make = (lengths: string[]) =>
    attempt(() => answer(server.POST('/api/cuts/{id}/versions', { ...path(id()), body: { lengths } })))
  const follow = (cuts: FamilyCutView[]) =>
    attempt(async () => {
      for (const cut of cuts) await answer(server.POST('/api/cuts/{id}/follow', path(cut.id)))
    })
  const handOver = (form: Form) =>
    attempt(async () => {
      for (const { id: of, revision, fitting } of family.value) {
        if (!fitting) continue
        const body = { revision, form }
        wanted.value[of] = body
        await answer(server.POST('/api/cuts/{id}/handed', { ...path(of), body }))
      }
    })
  const takeAway = (cut: FamilyCutView) => attempt(() => answer(server.DELETE('/api/cuts/{id}', path(cut.id))))
  const bringBack = (of: string) => attempt(() => answer(server.POST('/api/cuts/{id}/back', path(of))))
  return { family, asking, busy, isWanted, make, follow, handOver, takeAway, bringBack }
}
