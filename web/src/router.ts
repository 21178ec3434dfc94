import { createRouter, createWebHistory } from 'vue-router'

import ComparePage from './machines/ComparePage.vue'
import MachinePage from './machines/MachinePage.vue'
import MachinesPage from './machines/MachinesPage.vue'
import FleetPage from './fleet/FleetPage.vue'
import FirstPage from './start/FirstPage.vue'
import MissingPage from './start/MissingPage.vue'
import ReleasePage from './releases/ReleasePage.vue'
import ReleasesPage from './releases/ReleasesPage.vue'

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', name: 'fleet', component: FleetPage },
    { path: '/machines', name: 'machines', component: MachinesPage },
    { path: '/machines/matrix', name: 'matrix', component: () => import('./machines/MatrixPage.vue') },
    { path: '/machines/:machine', name: 'machine', component: MachinePage, props: true },
    { path: '/compare', name: 'compare', component: ComparePage },
    { path: '/releases', name: 'releases', component: ReleasesPage },
    {
      path: '/releases/changes/:change',
      name: 'rule-change',
      component: () => import('./releases/RuleChangePage.vue'),
      props: true,
    },
    { path: '/releases/new', name: 'release-new', component: () => import('./releases/ReleaseEditPage.vue') },
    {
      path: '/releases/import',
      name: 'list-import',
      component: () => import('./releases/ListImportPage.vue'),
    },
    {
      path: '/releases/:id/edit',
      name: 'release-edit',
      component: () => import('./releases/ReleaseEditPage.vue'),
      props: true,
    },
    { path: '/releases/:id', name: 'release', component: ReleasePage, props: true },
    { path: '/work', name: 'work', component: () => import('./work/WorkPage.vue') },
    { path: '/work/waves/:id', name: 'wave', component: () => import('./work/WavePage.vue'), props: true },
    { path: '/intake', name: 'intake', component: () => import('./intake/IntakePage.vue') },
    { path: '/settings', name: 'settings', component: () => import('./settings/SettingsPage.vue') },
    { path: '/first', name: 'first', component: FirstPage },
    { path: '/:rest(.*)*', name: 'missing', component: MissingPage },
  ],
  scrollBehavior: (_to, _from, saved) => saved ?? { top: 0 },
})
