import { computed, ref, watch } from 'vue'
import { answer, server, type CutView, type Form, type HandedView } from '../../shared/http'
import { useAnswer } from '../../shared/query'
import { tell } from '../../shared/tell'

/** Where a file lies. */
export const fileOf = (cut: string, handed: HandedView) => `/api/cuts/${cut}/handed/${handed.id}/file`

/** Lets the browser save a file. */
function save(address: string) {
  const link = document.createElement('a')
  link.href = address
  link.download = ''
  link.click()
}

/** Whether two forms say the same, whatever the order of their fields. */
export function sameForm(a: unknown, b: unknown): boolean {
  const sorted = (of: unknown): unknown =>
    of && typeof of === 'object'
      ? Object.entries(of)
          .sort(([x], [y]) => x.localeCompare(y))
          .map(([name, value]) => [name, sorted(value)])
      : (of ?? null)
  return JSON.stringify(sorted(a)) === JSON.stringify(sorted(b))
}

/** The files that were handed over of a cut; one that is asked for is saved as soon as it is there. */
export function useHanded(cut: () => CutView) {
  /** What is being made, to be saved when it is there. */
  const waiting = ref<{ revision: number; form: Form }[]>([])

  /** Jobs that had failed before anything was asked for. */
  const failedBefore = new Set<string>()
  /** A job may come and go between two looks at the cut. */
  const LOOK_MS = 700
  const { data, refetch } = useAnswer(
    () => ['cut', cut().id, 'handed'],
    (signal) => answer(server.GET('/api/cuts/{id}/handed', { params: { path: { id: cut().id } }, signal })),
    { everyMs: () => (waiting.value.length ? LOOK_MS : false) },
  )
  const handed = computed(() => data.value ?? [])
  watch(data, (all) => {
    if (!all) return
    const { id } = cut()
    waiting.value = waiting.value.filter((wanted) => {
      const there = all.find((file) => file.revision === wanted.revision && sameForm(file.form, wanted.form))
      if (there) save(fileOf(id, there))
      // What failed is told above the step, with a way to try it again.
      return !there && !cut().jobs.some((job) => job.state === 'failed' && !failedBefore.has(job.id))
    })
  })
  // Whatever a job made is listed when it is over.
  watch(
    () =>
      `${cut().id} ${cut()
        .jobs.map((job) => job.id)
        .join(' ')}`,
    () => void refetch(),
  )

  async function ask(form: Form) {
    const { id, plan, jobs } = cut()
    jobs.forEach((job) => job.state === 'failed' && failedBefore.add(job.id))
    const wanted = { revision: plan.revision, form }
    try {
      const there = await answer(server.POST('/api/cuts/{id}/handed', { params: { path: { id } }, body: wanted }))
      if (!there) waiting.value = [...waiting.value, wanted]
      else save(fileOf(id, there as HandedView))
      await refetch()
    } catch (cause) {
      tell(cause)
    }
  }
  const isMaking = (form: Form) => waiting.value.some((wanted) => sameForm(wanted.form, form))
  return { handed, ask, isMaking }
}
