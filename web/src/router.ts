import { createRouter, createWebHistory } from 'vue-router'

import ComparePage from './devices/ComparePage.vue'
import DevicePage from './devices/DevicePage.vue'
import DevicesPage from './devices/DevicesPage.vue'
import FleetPage from './fleet/FleetPage.vue'
import FirstPage from './start/FirstPage.vue'
import MissingPage from './start/MissingPage.vue'
import ReleasePage from './releases/ReleasePage.vue'
import ReleasesPage from './releases/ReleasesPage.vue'

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', name: 'fleet', component: FleetPage },
    { path: '/devices', name: 'devices', component: DevicesPage },
    { path: '/devices/by-requirement', name: 'grid', component: () => import('./devices/GridPage.vue') },
    { path: '/devices/:machine', name: 'device', component: DevicePage, props: true },
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
