/**
 * What the component library leaves wrong for who hears the page, put right as it appears: a closed list box names a list that is
 * not there and does not say that it is closed, its label may stand on a box round it, and signs that are for the eye have names.
 */
export function mend(root: ParentNode) {
  for (const input of root.querySelectorAll<HTMLInputElement>('.ant-select input[role=combobox]')) {
    const box = input.closest('.ant-select')!
    // The library says the name of the list once: it is kept for when the list is there.
    input.dataset.list ??= input.getAttribute('aria-controls') ?? ''
    const { list } = input.dataset
    if (input.getAttribute('aria-expanded') !== 'true') set(input, 'aria-expanded', 'false')
    if (list && document.getElementById(list)) set(input, 'aria-controls', list)
    else for (const name of ['aria-controls', 'aria-owns', 'aria-activedescendant']) input.removeAttribute(name)
    if (!input.getAttribute('aria-label') && !input.labels?.length) {
      const label = box.getAttribute('aria-label') ?? box.closest('label')?.firstChild?.textContent?.trim()
      if (label) set(input, 'aria-label', label)
    }
  }
  for (const sign of root.querySelectorAll('[role=presentation][aria-label]')) sign.removeAttribute('aria-label')
}

function set(element: Element, name: string, value: string) {
  if (element.getAttribute(name) !== value) element.setAttribute(name, value)
}

/** Mends the page now and whenever it changes. */
export function keepMended() {
  let asked = false
  const again = () => {
    if (asked) return
    asked = true
    requestAnimationFrame(() => {
      asked = false
      mend(document)
    })
  }
  new MutationObserver(again).observe(document.body, {
    childList: true,
    subtree: true,
    attributes: true,
    attributeFilter: ['aria-owns', 'aria-controls', 'aria-expanded', 'role'],
  })
  again()
}
