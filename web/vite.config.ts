import vue from '@vitejs/plugin-vue'
import { AntDesignVueResolver } from 'unplugin-vue-components/resolvers'
import components from 'unplugin-vue-components/vite'
import { defineConfig } from 'vitest/config'

export default defineConfig({
  plugins: [
    vue(),
    components({ dts: 'src/gen/components.d.ts', dirs: [], resolvers: [AntDesignVueResolver({ importStyle: false })] }),
  ],
  // The guide and its pictures stand in docs.
  server: { proxy: { '/api': 'http://127.0.0.1:8760' }, fs: { allow: ['..'] } },
  build: { target: 'es2022', chunkSizeWarningLimit: 900 },
  test: {
    environment: 'happy-dom',
    setupFiles: 'src/shared/testSetup.ts',
    testTimeout: 30_000,
    deps: { optimizer: { client: { enabled: true, include: ['ant-design-vue'] } } },
  },
})
