import { describe, expect, it } from 'vitest'
import { mend } from './mended'

describe('what the library leaves wrong', () => {
  it('is a closed list box that names a list, until the list is there', () => {
    document.body.innerHTML =
      '<label>begins <div class="ant-select"><input role="combobox" aria-controls="l" aria-owns="l" /></div></label>'
    const input = document.querySelector('input')!
    mend(document)
    expect(input.getAttribute('aria-expanded')).toBe('false')
    expect([input.hasAttribute('aria-controls'), input.hasAttribute('aria-owns')]).toEqual([false, false])
    document.body.insertAdjacentHTML('beforeend', '<div id="l"></div>')
    mend(document)
    expect(input.getAttribute('aria-controls')).toBe('l')
  })

  it('is a label that stands on a box round the field, and a sign for the eye that has a name', () => {
    document.body.innerHTML =
      '<div class="ant-select" aria-label="Pocket"><input role="combobox" /></div><i role="presentation" aria-label="up"></i>'
    mend(document)
    expect(document.querySelector('input')!.getAttribute('aria-label')).toBe('Pocket')
    expect(document.querySelector('i')!.hasAttribute('aria-label')).toBe(false)
  })
})
