import { useEventListener, useLocalStorage } from '@vueuse/core'
import { computed, onScopeDispose, shallowReactive } from 'vue'

/** One key of the keymap, and what it does. */
export interface Key {
  /** As KeyboardEvent.key names it; letters in small. Several do the same. */
  key: string | string[]
  /** How the help writes it, where that is not its name. */
  shown?: string
  /** What it does, for the help. */
  what: string
  /** With Ctrl, or with Cmd on a Mac. */
  ctrl?: boolean
  /** False leaves the key to whoever else wants it. */
  act: (event: KeyboardEvent) => unknown
}

/** Keys that belong together: those of a step come before those of the page. */
export interface KeyGroup {
  name: string
  keys: Key[]
  ofStep: boolean
}

const groups = shallowReactive<KeyGroup[]>([])
/** Single letters and signs may get in the way of speech input: they can be switched off (WCAG 2.2, 2.1.4). */
export const singleKeys = useLocalStorage('jaunty-bar-single-keys', true)
/** All keys that do something now, those of the step first. */
export const keymap = computed(() => [...groups].sort((a, b) => Number(b.ofStep) - Number(a.ofStep)))

const TYPES = 'input:not([type=checkbox]):not([type=radio]), textarea, select, [contenteditable], [role=combobox]'
const PRESSED = 'button, a, summary, input, [role=button], [role=radio], [role=slider], [role=option], [role=tab]'
const target = (event: Event) => (event.target instanceof Element ? event.target : document.body)

/** Whether a key that was pressed is meant for the element that has the focus. */
function isForElement(event: KeyboardEvent): boolean {
  const at = target(event)
  if (at.matches(TYPES) || at.closest('.ant-modal, .ant-select-dropdown')) return true
  // A button that was clicked keeps the focus; only who came to it by keyboard means it.
  const presses = event.key === ' ' || event.key === 'Enter'
  return presses && at.matches(PRESSED) && at.matches(':focus-visible')
}

/** Signs that some keyboards only have with AltGr count as typed plainly. */
function isPlain(event: KeyboardEvent): boolean {
  if (event.metaKey) return false
  return event.getModifierState?.('AltGraph') || !(event.ctrlKey || event.altKey)
}

function meant(event: KeyboardEvent, one: Key): boolean {
  const name = event.key.length === 1 ? event.key.toLowerCase() : event.key
  if (one.ctrl ? !(event.ctrlKey || event.metaKey) : !isPlain(event)) return false
  return [one.key].flat().includes(name)
}

/** Every key comes by here, once: the one place that knows when a key is typed and not meant. */
function press(event: KeyboardEvent) {
  if (event.defaultPrevented || isForElement(event)) return
  const single = event.key.length === 1 && event.key !== ' '
  if (single && isPlain(event) && !singleKeys.value && event.key !== '?') return
  for (const group of keymap.value)
    for (const one of group.keys)
      if (meant(event, one) && one.act(event) !== false) {
        event.preventDefault()
        return
      }
}

/** After a choice in a list or Enter in a field the keys belong to the page again. */
function giveBack(event: Event) {
  const at = target(event)
  const chosen = event.type === 'click' && at.closest('.ant-select-item-option')
  const said =
    event instanceof KeyboardEvent &&
    event.key === 'Enter' &&
    !at.closest('form, .ant-modal') &&
    at.matches('.ant-input-number-input, .gives-back, [role=combobox][aria-expanded=true]')
  if (chosen || said) setTimeout(() => (document.activeElement as HTMLElement | null)?.blur())
}

let listening = 0
/** Keys that do something for as long as the component stands. */
export function useKeys(name: string, keys: Key[], { ofStep = true }: { ofStep?: boolean } = {}) {
  const group = { name, keys, ofStep }
  groups.push(group)
  if (listening++ === 0) {
    document.addEventListener('keydown', press)
    document.addEventListener('keydown', giveBack, true)
    document.addEventListener('click', giveBack, true)
  }
  onScopeDispose(() => {
    groups.splice(groups.indexOf(group), 1)
    if (--listening > 0) return
    document.removeEventListener('keydown', press)
    document.removeEventListener('keydown', giveBack, true)
    document.removeEventListener('click', giveBack, true)
  })
}

/** Escape lets go of whatever is being dragged, wherever the focus is. */
export function useEscape(letGo: () => void) {
  useEventListener(document, 'keydown', (event) => {
    if (event.key === 'Escape') letGo()
  })
}
