import { flushPromises, mount } from '@vue/test-utils'
import antd from 'ant-design-vue'
import { describe, expect, it, vi } from 'vitest'
import { testCut } from '../../shared/testCut'
import HouseCard from './HouseCard.vue'

const shape = testCut().plan.shape
const evening = { name: 'Evening', shape, fileNames: '{title}, {what}' }

async function stand(kept: object[], taken: object | null) {
  const asked: [string, string, unknown][] = []
  globalThis.fetch = vi.fn(async (input: RequestInfo | URL) => {
    const request = input as Request
    const body = request.method === 'PUT' ? ((await request.json()) as unknown) : null
    asked.push([request.method, new URL(request.url, 'http://x').pathname, body])
    return Response.json(request.method === 'PUT' ? { ...evening, name: 'Morning' } : kept)
  })
  const cut = testCut()
  cut.plan.house = taken as typeof cut.plan.house
  const view = mount(HouseCard, { props: { cut, busy: false }, global: { plugins: [antd] } })
  await flushPromises()
  return { view, asked, cut }
}

describe('the figures of the house', () => {
  it('say that they were changed since, and are taken anew by a click', async () => {
    const newer = { ...evening, shape: { ...shape, underSpeechDb: shape.underSpeechDb + 2 } }
    const { view } = await stand([newer], evening)
    await view.get('[data-test=house-newer]').trigger('click')
    expect(view.emitted('take')).toEqual([[newer]])
  })

  it('say that this cut has others by now', async () => {
    const { view } = await stand([evening], { ...evening, shape: { ...shape, aloneDb: 3 } })
    expect(view.find('[data-test=house-newer]').exists()).toBe(true)
    const same = await stand([{ ...evening, shape: { ...shape, aloneDb: 3 } }], {
      ...evening,
      shape: { ...shape, aloneDb: 3 },
    })
    expect(same.view.text()).toContain('changed in this cut')
  })

  it('are kept under a name, and the cut follows them', async () => {
    const { view, asked, cut } = await stand([], null)
    expect(view.text()).toContain('the next cut begins with them')
    expect(view.get('[data-test=house-keep]').attributes('disabled')).toBeDefined()
    await view.get('[data-test=house-name]').setValue(' Morning ')
    await view.get('[data-test=house-keep]').trigger('click')
    await flushPromises()
    expect(asked[1]).toEqual(['PUT', '/api/house/Morning', { cut: cut.id, fileNames: '{title}, {what}' }])
    expect(view.emitted('take')).toEqual([[{ ...evening, name: 'Morning' }]])
  })
})
