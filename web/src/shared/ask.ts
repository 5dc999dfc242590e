import { Modal } from 'ant-design-vue'

export interface Question {
  title: string
  content: string
  yes: string
  no: string
  onYes: () => void
}

/** Asks before something that costs: "no" has the focus, so that a stray key does no harm. */
export function ask({ title, content, yes, no, onYes }: Question) {
  Modal.confirm({
    title,
    content,
    okText: yes,
    okType: 'danger',
    cancelText: no,
    autoFocusButton: 'cancel',
    onOk: onYes,
  })
}
