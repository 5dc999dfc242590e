import { mount } from '@vue/test-utils'
import { afterEach, describe, expect, it, vi } from 'vitest'
import { keymap, singleKeys, useKeys } from './keys'

function stand(act: (key: string) => unknown) {
  const of = (key: string) => ({ key, what: key, act: () => act(key) })
  const one = {
    template: '<div><input class="field" /><button>press</button></div>',
    setup: () => {
      useKeys('page', [of(' '), of('x')], { ofStep: false })
      useKeys('step', [of('x'), of('['), of('?'), { ...of('z'), ctrl: true }])
    },
  }
  return mount(one, { attachTo: document.body })
}
function press(at: Element, key: string, more: KeyboardEventInit = {}) {
  const event = new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true, ...more })
  event.getModifierState = (name) => name === 'AltGraph' && more.modifierAltGraph === true
  at.dispatchEvent(event)
  return event.defaultPrevented
}

afterEach(() => {
  singleKeys.value = true
  document.body.innerHTML = ''
})

describe('the keymap', () => {
  it('gives a key to the step first, and to the page where the step does not want it', () => {
    const act = vi.fn((key: string): unknown => (key === 'x' ? act.mock.calls.length > 1 : true))
    const view = stand(act)
    expect(press(document.body, 'x')).toBe(true)
    // Refused by the step, taken by the page.
    expect(act).toHaveBeenCalledTimes(2)
    expect(keymap.value.map((group) => group.name)).toEqual(['step', 'page'])
    view.unmount()
    expect(keymap.value).toEqual([])
    expect(press(document.body, 'x')).toBe(false)
  })

  it('leaves typing alone, and Space to a button that was reached by keyboard', () => {
    const act = vi.fn()
    const view = stand(act)
    press(view.get('.field').element, 'x')
    const button = view.get('button').element
    const matches = button.matches.bind(button)
    button.matches = (selector: string) => selector === ':focus-visible' || matches(selector)
    expect(press(button, ' ')).toBe(false)
    button.matches = (selector: string) => selector !== ':focus-visible' && matches(selector)
    expect(act).not.toHaveBeenCalled()
    expect(press(button, ' ')).toBe(true)
  })

  it('knows brackets that need AltGr, and no others with Ctrl or Alt', () => {
    const act = vi.fn()
    stand(act)
    expect(press(document.body, '[', { ctrlKey: true, altKey: true })).toBe(false)
    expect(press(document.body, '[', { ctrlKey: true, altKey: true, modifierAltGraph: true })).toBe(true)
    expect(press(document.body, 'z')).toBe(false)
    expect(press(document.body, 'Z', { ctrlKey: true, shiftKey: true })).toBe(true)
  })

  it('can be switched off but for Space and the help', () => {
    const act = vi.fn()
    stand(act)
    singleKeys.value = false
    expect(['x', '['].map((key) => press(document.body, key))).toEqual([false, false])
    expect([' ', '?'].map((key) => press(document.body, key))).toEqual([true, true])
  })

  it('gets the keys back after Enter in a field', async () => {
    const view = stand(vi.fn())
    const field = view.get<HTMLInputElement>('.field').element
    field.classList.add('gives-back')
    field.focus()
    press(field, 'Enter')
    await vi.waitFor(() => expect(document.activeElement).not.toBe(field))
  })
})
