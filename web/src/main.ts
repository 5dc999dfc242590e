import '@fontsource-variable/commissioner'
import '@fontsource/libertinus-serif/400.css'
import '@fontsource/libertinus-serif/400-italic.css'
import '@fontsource/libertinus-serif/700.css'
import 'ant-design-vue/dist/reset.css'
import './style.css'
import { createApp } from 'vue'
import App from './App.vue'
import { router } from './router'
import { i18n } from './shared/i18n'
import { keepMended } from './shared/mended'

createApp(App).use(router).use(i18n).mount('#app')
keepMended()
