import { enableAutoUnmount } from '@vue/test-utils'
import { afterEach } from 'vitest'
import { queries } from './query'

/** What one test mounts is gone before the next, also when it fails: keys would be heard twice. */
enableAutoUnmount(afterEach)
// Nor does it know what another was told.
afterEach(() => queries.clear())
