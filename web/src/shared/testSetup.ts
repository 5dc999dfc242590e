import { enableAutoUnmount } from '@vue/test-utils'
import { afterEach, beforeEach } from 'vitest'
import { queries } from './query'
import { testLimits } from './testLimits'

/** What one test mounts is gone before the next, also when it fails: keys would be heard twice. */
enableAutoUnmount(afterEach)
// Nor does it know what another was told.
afterEach(() => queries.clear())
beforeEach(() => void queries.setQueryData(['limits'], testLimits))
