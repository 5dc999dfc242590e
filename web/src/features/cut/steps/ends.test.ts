import { mount } from '@vue/test-utils'
import antd from 'ant-design-vue'
import { describe, expect, it, vi } from 'vitest'
import { createMemoryHistory, createRouter } from 'vue-router'
import { testCut } from '../../../shared/testCut'
import CheckStep from './CheckStep.vue'
import HandOverStep from './HandOverStep.vue'
import type { StepProps } from './props'

const seek = vi.fn()
const found = [
  { atS: 1, text: 'The bed hangs over.', mend: 'Fade it.', needsLook: true },
  { atS: 75.25, text: '<i>Loud</i> here.', mend: '', needsLook: false },
]

function stand(step: typeof CheckStep | typeof HandOverStep, plan: Parameters<typeof testCut>[0]) {
  const empty = { template: '<i />' }
  const router = createRouter({ history: createMemoryHistory(), routes: [{ path: '/:all(.*)', component: empty }] })
  const props = { cut: testCut(plan), actions: {}, listening: { seek } } as unknown as StepProps
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
    expect(view.text()).toContain('<i>Loud</i> here.')
    expect(view.text()).toContain('1:15.3')
    for (const button of view.findAll('button')) await button.trigger('click')
    expect(seek.mock.calls).toEqual([[0], [73.25]])
  })
})

describe('handing over', () => {
  it('gives the mix of the revision that is seen, and warns of what needs a look', () => {
    const view = stand(HandOverStep, { revision: 7, what: 'make a dip', findings: found as never })
    expect(view.get('[data-test=export]').attributes('href')).toBe('/api/cuts/x/revisions/7/mix.wav')
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
