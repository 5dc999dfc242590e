import { answer, server, type RemarkView } from '../../shared/http'
import { tell } from '../../shared/tell'

/** A remark is done, or not yet; the cut's events tell the page. */
export async function setDone(cut: string, remark: RemarkView, done = true): Promise<void> {
  const params = { path: { id: cut, remark: remark.id } }
  await answer(server.PUT('/api/cuts/{id}/remarks/{remark}', { params, body: { done } })).catch(tell)
}

/** What a remark says, in one line. */
export const said = (remark: RemarkView): string => remark.words || (remark.approves ? 'All is well.' : '')
