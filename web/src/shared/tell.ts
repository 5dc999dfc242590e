import { message } from 'ant-design-vue'

/** Says what went wrong: one trouble is told once, however many asked. */
export function tell(cause: unknown): void {
  const words = cause instanceof Error ? cause.message : String(cause)
  void message.error({ content: words, duration: 6, key: words })
}
