import { mount } from '@vue/test-utils'
import { InputNumber } from 'ant-design-vue'
import { describe, expect, it } from 'vitest'
import NumberField from './NumberField.vue'

function field(value: number | null, more: Record<string, unknown> = {}) {
  return mount(NumberField, {
    props: { value, label: 'Decibels', min: 0, max: 40, ...more },
    global: { components: { AInputNumber: InputNumber } },
  })
}

describe('a number field', () => {
  it('says a typed number once, when it is done', async () => {
    const one = field(20)
    const input = one.get('input')
    expect(input.attributes('aria-label')).toBe('Decibels')
    await input.setValue('1')
    await input.setValue('12')
    expect(one.emitted('set')).toBeUndefined()
    await input.trigger('blur')
    expect(one.emitted('set')).toEqual([[12]])
  })

  it('says it once also when Enter is followed by leaving the field', async () => {
    const one = field(20)
    const input = one.get('input')
    await input.trigger('focus')
    await input.setValue('12')
    await input.trigger('keydown', { key: 'Enter', keyCode: 13, which: 13 })
    await input.trigger('blur')
    expect(one.emitted('set')).toEqual([[12]])
    await input.trigger('focus')
    await input.setValue('14')
    await input.trigger('blur')
    expect(one.emitted('set')).toEqual([[12], [14]])
  })

  it('takes percent of an amplitude where decibels are meant, and shows it', async () => {
    const one = field(20, { percent: 'under', max: 60 })
    expect(one.get('[data-test=percent]').text()).toBe('dB, 10 %')
    // Half of it is 6 dB under it (handbook value).
    await one.get('input').setValue('50 %')
    await one.get('input').trigger('blur')
    const gain = field(0, { percent: 'gain', min: -60 })
    await gain.get('input').setValue('50%')
    await gain.get('input').trigger('blur')
    expect([one.emitted('set'), gain.emitted('set')]).toEqual([[[6]], [[-6]]])
  })

  it('says nothing where nothing changed or nothing makes sense', async () => {
    const one = field(20)
    const input = one.get('input')
    await input.trigger('blur')
    await input.setValue('loud')
    await input.trigger('blur')
    expect(one.emitted('set')).toBeUndefined()
    expect(one.emitted('clear')).toBeUndefined()
  })

  it('may be emptied where that means something', async () => {
    const one = field(3, { clears: true })
    await one.get('input').setValue('')
    await one.get('input').trigger('blur')
    expect(one.emitted('clear')).toHaveLength(1)
  })

  it('takes a comma and the unit, and gives the old number back on Escape', async () => {
    const one = field(20, { unit: 'dB' })
    const input = one.get('input')
    await input.setValue('12,5 dB')
    await input.trigger('blur')
    expect(one.emitted('set')).toEqual([[12.5]])
    await input.setValue('7')
    await input.trigger('keydown', { key: 'Escape' })
    await input.trigger('blur')
    expect(one.emitted('set')).toHaveLength(1)
  })

  it('refuses aloud what is not allowed, and steps no further than that', async () => {
    const one = field(20, { unit: 'dB' })
    const input = one.get('input')
    await input.setValue('125')
    await input.trigger('blur')
    expect(one.emitted('set')).toBeUndefined()
    expect(one.get('[role=alert]').text()).toBe('125 dB is not possible: 0 to 40 dB.')
    expect((input.element as HTMLInputElement).value).toBe('20')
    const edge = field(40)
    await edge.get('input').trigger('keydown', { key: 'ArrowUp', which: 38, keyCode: 38 })
    expect(edge.emitted('set')).toBeUndefined()
  })
})
