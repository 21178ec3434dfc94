import { createRouter, createWebHistory } from 'vue-router'

import ComparePage from './pages/ComparePage.vue'
import DevicePage from './pages/DevicePage.vue'
import DevicesPage from './pages/DevicesPage.vue'
import FleetPage from './pages/FleetPage.vue'
import FirstPage from './pages/FirstPage.vue'
import MissingPage from './pages/MissingPage.vue'
import ReleasePage from './pages/ReleasePage.vue'
import ReleasesPage from './pages/ReleasesPage.vue'

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', name: 'fleet', component: FleetPage },
    { path: '/devices', name: 'devices', component: DevicesPage },
    { path: '/devices/by-requirement', name: 'grid', component: () => import('./pages/GridPage.vue') },
    { path: '/devices/:machine', name: 'device', component: DevicePage, props: true },
    { path: '/compare', name: 'compare', component: ComparePage },
    { path: '/releases', name: 'releases', component: ReleasesPage },
    {
      path: '/releases/changes/:change',
      name: 'rule-change',
      component: () => import('./pages/RuleChangePage.vue'),
      props: true,
    },
    { path: '/releases/new', name: 'release-new', component: () => import('./pages/ReleaseEditPage.vue') },
    { path: '/releases/import', name: 'list-import', component: () => import('./pages/ListImportPage.vue') },
    {
      path: '/releases/:id/edit',
      name: 'release-edit',
      component: () => import('./pages/ReleaseEditPage.vue'),
      props: true,
    },
    { path: '/releases/:id', name: 'release', component: ReleasePage, props: true },
    { path: '/work', name: 'work', component: () => import('./pages/WorkPage.vue') },
    { path: '/work/waves/:id', name: 'wave', component: () => import('./pages/WavePage.vue'), props: true },
    { path: '/intake', name: 'intake', component: () => import('./pages/IntakePage.vue') },
    { path: '/settings', name: 'settings', component: () => import('./pages/SettingsPage.vue') },
    { path: '/first', name: 'first', component: FirstPage },
    { path: '/:rest(.*)*', name: 'missing', component: MissingPage },
  ],
  scrollBehavior: (_to, _from, saved) => saved ?? { top: 0 },
})
