import document from '../gen/openapi.json'
import type { Limits } from './limits'

/** What the server says of figures, as its document tells: `./test` holds that against the server. */
export const testLimits: Limits = document.paths['/api/limits'].get.responses['200'].content['application/json'].example
