import type { ThemeConfig } from 'ant-design-vue/es/config-provider/context'

/** The colours of the page: ink on paper, and few of them. */
export const INK = {
  ground: '#fbf6ea',
  column: '#f2ead8',
  line: '#d9cfb8',
  ink: '#1f2430',
  soft: '#6b6558',
  band: '#4f7f7d',
  voice: '#7a3328',
  hand: '#4c6b2f',
  warn: '#a8480f',
} as const

/** Tints of the ribbons, in turn. */
export const RIBBONS = ['#cfdad3', '#e6d7ba', '#d5cdd6', '#dbd0c2'] as const

export const theme: ThemeConfig = {
  token: {
    colorPrimary: '#2f5f5d',
    colorInfo: '#2f5f5d',
    colorWarning: INK.warn,
    colorError: '#9a2f1f',
    colorText: INK.ink,
    colorTextSecondary: INK.soft,
    colorTextDescription: INK.soft,
    colorBgBase: '#fffdf6',
    colorBgLayout: INK.ground,
    colorBorder: INK.line,
    borderRadius: 3,
    fontFamily: "'Commissioner Variable', sans-serif",
    fontSize: 14,
  },
}
