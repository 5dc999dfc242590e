import { theme as library } from 'ant-design-vue'
import type { ThemeConfig } from 'ant-design-vue/es/config-provider/context'

/** The colours of the components, which cannot read the variables of style.css: the same ink on the same paper. */
const DAY = {
  colorPrimary: '#2f5f5d',
  colorInfo: '#2f5f5d',
  colorWarning: '#a8480f',
  colorError: '#9a2f1f',
  colorText: '#1f2430',
  colorTextSecondary: '#6b6558',
  colorTextDescription: '#6b6558',
  colorTextPlaceholder: '#757064',
  colorBgBase: '#fffdf6',
  colorBgLayout: '#fbf6ea',
  colorBorder: '#d9cfb8',
}
const NIGHT = {
  colorPrimary: '#3b7772',
  colorInfo: '#8cc5c0',
  colorWarning: '#f0a06a',
  colorError: '#ef8e7c',
  colorText: '#ece4d3',
  colorTextSecondary: '#b3a994',
  colorTextDescription: '#b3a994',
  colorTextPlaceholder: '#a39a86',
  colorBgBase: '#1d1b17',
  colorBgContainer: '#262219',
  colorBgElevated: '#2c271d',
  colorBgLayout: '#1d1b17',
  colorBorder: '#4a4437',
}

export const themeOf = (dark: boolean): ThemeConfig => ({
  algorithm: dark ? library.darkAlgorithm : library.defaultAlgorithm,
  token: {
    ...(dark ? NIGHT : DAY),
    borderRadius: 3,
    fontFamily: "'Commissioner Variable', sans-serif",
    fontSize: 14,
  },
})
