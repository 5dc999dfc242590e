import { flushPromises, mount } from '@vue/test-utils'
import antd from 'ant-design-vue'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import TakeOut from './TakeOut.vue'

const given = [
  { id: 'k1', cut: 'Clock', givenTo: 'The client', expiresAt: '2027-01-05T00:00:00Z' },
  { id: 'k2', cut: null, givenTo: 'bo@example.org', expiresAt: '2026-12-09T00:00:00Z' },
]
let links: typeof given = []
let sent: unknown[] = []

beforeEach(() => {
  document.body.innerHTML = ''
  sent = []
  globalThis.fetch = vi.fn(async (asked: RequestInfo | URL) => {
    const request = asked as Request
    if (request.method === 'GET') return Response.json(links)
    sent.push(await request.json())
    return new Response(null, { status: 204 })
  })
})

function stand() {
  const props = { project: 'p1', person: { id: 'x1', name: 'Ed' } }
  return mount(TakeOut, { props, global: { plugins: [antd] }, attachTo: document.body })
}
const button = (words: RegExp) =>
  [...document.querySelectorAll<HTMLButtonElement>('.ant-modal button')].find((one) =>
    words.test(one.textContent ?? ''),
  )

describe('taking somebody out', () => {
  it('asks nothing where they gave nothing away', async () => {
    links = []
    const page = stand()
    await page.find('[data-test=take-out]').trigger('click')
    await flushPromises()
    expect(sent).toEqual([{ keep: [] }])
    expect(page.emitted('out')).toHaveLength(1)
    page.unmount()
  })

  it('shows what would end, and ends all but what is kept', async () => {
    links = given
    const page = stand()
    await page.find('[data-test=take-out]').trigger('click')
    await flushPromises()
    expect(sent).toEqual([])
    const shown = [...document.querySelectorAll('[data-test=given-link]')].map((one) => one.textContent)
    expect(shown).toHaveLength(2)
    expect(shown[0]).toMatch(/“Clock”, to hear.*for The client, until/)
    expect(shown[1]).toMatch(/an invitation into the project/)
    expect(button(/2 links end/)).toBeTruthy()
    document.querySelector<HTMLInputElement>('[data-test=given-link] input')!.click()
    await flushPromises()
    button(/one link ends/)!.click()
    await flushPromises()
    expect(sent).toEqual([{ keep: ['k1'] }])
    expect(page.emitted('out')).toHaveLength(1)
    page.unmount()
  })

  it('leaves them in when told to', async () => {
    links = given
    const page = stand()
    await page.find('[data-test=take-out]').trigger('click')
    await flushPromises()
    button(/Leave in/)!.click()
    await flushPromises()
    expect(sent).toEqual([])
    expect(page.emitted('out')).toBeUndefined()
    page.unmount()
  })
})
