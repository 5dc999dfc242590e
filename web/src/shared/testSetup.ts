import { enableAutoUnmount } from '@vue/test-utils'
import { afterEach } from 'vitest'

/** What one test mounts is gone before the next, also when it fails: keys would be heard twice. */
enableAutoUnmount(afterEach)
