import { createRouter, createWebHistory } from 'vue-router'
import { whoIsHere } from './shared/me'

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
    { path: '/people', component: () => import('./features/people/PeoplePage.vue') },
    { path: '/guide', component: () => import('./features/guide/GuidePage.vue'), meta: { open: true } },
    { path: '/sign-in', component: () => import('./features/people/SignInPage.vue'), meta: { open: true } },
    { path: '/key', component: () => import('./features/people/KeyPage.vue'), meta: { open: true } },
    {
      path: '/listen/:id',
      component: () => import('./features/clients/ListenPage.vue'),
      props: true,
      meta: { open: true },
    },
    { path: '/:rest(.*)*', redirect: '/' },
  ],
})

/** Who is not inside comes in first, and then to where they wanted. */
router.beforeEach(async (to) => {
  if (to.meta.open) return true
  const me = await whoIsHere().catch(() => null)
  // A server that does not answer says so on the page itself.
  if (!me || me.inside) return true
  if (me.hears) return `/listen/${me.hears}`
  return { path: '/sign-in', query: to.path === '/' ? {} : { to: to.fullPath } }
})
