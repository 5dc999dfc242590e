import { createRouter, createWebHistory } from 'vue-router'

/** The steps of the job, in the order in which people work. */
export const STEPS = ['picture', 'beds', 'voice', 'reading', 'fit', 'shape', 'check', 'hand-over'] as const
export type Step = (typeof STEPS)[number] | 'lengths'

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', component: () => import('./features/cuts/CutList.vue') },
    {
      path: `/cuts/:id/:step(${STEPS.join('|')}|lengths)?`,
      component: () => import('./features/cut/CutPage.vue'),
      props: (route) => ({ id: String(route.params.id), step: (route.params.step || 'shape') as Step }),
    },
    { path: '/guide', component: () => import('./features/guide/GuidePage.vue') },
    { path: '/:rest(.*)*', redirect: '/' },
  ],
})
