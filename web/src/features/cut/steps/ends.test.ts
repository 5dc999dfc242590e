import { mount } from '@vue/test-utils'
import antd from 'ant-design-vue'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import { createMemoryHistory, createRouter } from 'vue-router'
import { testCut } from '../../../shared/testCut'
import CheckStep from './CheckStep.vue'
import HandOverStep from './HandOverStep.vue'
import type { StepProps } from './props'

beforeEach(() => void vi.stubGlobal('fetch', async () => new Response('[]', { status: 404 })))

const seek = vi.fn()
const toggle = vi.fn()
const say = vi.fn(async () => true)
beforeEach(() => say.mockClear())
const found = [
  { key: 'hangs', atS: 1, text: 'The bed hangs over.', mend: 'Fade it.', needsLook: true },
  { key: 'loud', atS: 75.25, text: '<i>Loud</i> here.', mend: '', needsLook: false },
]

function stand(step: typeof CheckStep | typeof HandOverStep, plan: Parameters<typeof testCut>[0]) {
  const empty = { template: '<i />' }
  const router = createRouter({ history: createMemoryHistory(), routes: [{ path: '/:all(.*)', component: empty }] })
  const props = {
    cut: testCut(plan),
    actions: { say },
    listening: { seek, toggle, playing: { value: false }, positionS: { value: 0 } },
  } as unknown as StepProps
  return mount(step, { props, global: { plugins: [antd, router] } })
}

describe('the check', () => {
  it('says what was looked at when all is well, and where to go', () => {
    const view = stand(CheckStep, { lookedAt: ['nothing clips', 'the voice is heard'] })
    expect(view.findAll('li').map((rule) => rule.text())).toEqual(['nothing clips', 'the voice is heard'])
    expect(view.get('a').attributes('href')).toBe('/cuts/x/hand-over')
  })

  it('lists what was found as text and goes there two seconds early, not before the start', async () => {
    const view = stand(CheckStep, { findings: found as never })
    expect(view.find('[data-test=all-well]').exists()).toBe(false)
    expect(view.findAll('tr').map((row) => row.find('td').text())).toEqual(['look', 'note'])
    expect(view.findAll('.ways button').map((button) => button.text())).toEqual([
      'go there',
      'hear it',
      'accept it',
      'go there',
      'hear it',
    ])
    expect(view.text()).toContain('<i>Loud</i> here.')
    expect(view.text()).toContain('1:15.3')
    for (const button of view.findAll('.ways button')) await button.trigger('click')
    expect(seek.mock.calls).toEqual([[0], [0], [73.25], [73.25]])
    expect(toggle).toHaveBeenCalledTimes(2)
  })

  it('mends the first thing that can be mended by its key, and says once what it does', async () => {
    const change = { about: 'levels', do: 'figure', figure: 'evenVoice', value: true }
    const cured = found.map((finding) => ({ ...finding, remedy: { words: 'even the phrases out', change } }))
    const accepted = [{ finding: 'hangs', by: 'Ruth' }]
    const view = stand(CheckStep, { findings: cured as never, accepted })
    expect(view.findAll('[data-test=mend]').map((button) => button.text())).toEqual(['Even the phrases outM'])
    document.body.dispatchEvent(new KeyboardEvent('keydown', { key: 'm', bubbles: true }))
    await view.vm.$nextTick()
    expect(say.mock.calls).toEqual([[change]])
  })

  it('lists what was accepted last, by whom, and does not count it', async () => {
    const view = stand(CheckStep, { findings: found as never, accepted: [{ finding: 'hangs', by: 'Ruth' }] })
    expect(view.findAll('tr').map((row) => row.find('td').text())).toEqual(['note', 'accepted'])
    expect(view.text()).toContain('Accepted by Ruth.')
    expect(view.find('[data-test=none-open]').exists()).toBe(true)
    await view.get('[data-test=reopen]').trigger('click')
    expect(say).toHaveBeenCalledWith({ about: 'check', do: 'reopen', finding: 'hangs' })
    const handing = stand(HandOverStep, { findings: found as never, accepted: [{ finding: 'hangs', by: 'Ruth' }] })
    expect(handing.text()).not.toContain('to look at first')
  })
})

describe('handing over', () => {
  const handed = {
    id: 'h1',
    revision: 7,
    form: { what: 'mix', sound: { coding: 'wav24', rateHz: 48_000, mono: false, loudnessLufs: null } },
    name: 'Clock, mix.wav',
    sha256: 'ab'.repeat(32),
    sizeBytes: 25_920_068,
    told: ['−20.4 LUFS, −1.9 dBTP'],
    madeAt: '2026-11-29T02:00:00Z',
  }
  const json = (body: unknown, status = 200) =>
    new Response(JSON.stringify(body), { status, headers: { 'content-type': 'application/json' } })

  it('asks for the mix of the revision that is seen, and saves it when it is made', async () => {
    const asked: unknown[] = []
    let made: unknown[] = []
    vi.stubGlobal('fetch', async (request: Request | string) => {
      if (typeof request === 'string') return json(null, 404)
      if (request.method === 'GET') return json(made)
      asked.push(await request.json())
      made = [handed]
      return new Response(null, { status: 202 })
    })
    const saved: string[] = []
    vi.spyOn(HTMLAnchorElement.prototype, 'click').mockImplementation(function (this: HTMLAnchorElement) {
      saved.push(this.getAttribute('href') ?? '')
    })
    const view = stand(HandOverStep, { revision: 7 })
    await view.get('[data-test=export]').trigger('click')
    await vi.waitFor(() => expect(saved).toEqual(['/api/cuts/x/handed/h1/file']))
    expect(asked).toEqual([{ revision: 7, form: handed.form }])
    expect(view.get('[data-test=handed]').text()).toContain('25.9 MB')
    expect(view.get('[data-test=handed]').text()).not.toContain('changed since')
    await view.setProps({ cut: testCut({ revision: 8 }) } as never)
    expect(view.get('[data-test=handed]').text()).toContain('the cut has changed since')
    vi.restoreAllMocks()
    vi.unstubAllGlobals()
  })

  it('says what needs a look, and how long it is', () => {
    const view = stand(HandOverStep, { revision: 7, what: 'make a dip', findings: found as never })
    expect(view.text()).toContain('1,440,000 samples')
    expect(view.get('.warn').text()).toContain('1 thing to look at first')
    expect(stand(HandOverStep, {}).find('.warn').exists()).toBe(false)
  })

  it('sends to the beds where there is nothing to hand over', () => {
    const view = stand(HandOverStep, { fittings: [] })
    expect(view.find('[data-test=export]').exists()).toBe(false)
    expect(view.get('a').attributes('href')).toBe('/cuts/x/beds')
  })
})
