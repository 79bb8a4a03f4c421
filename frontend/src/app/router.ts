import { createRouter, createWebHistory } from 'vue-router';
import { nameTab } from './title';

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', name: 'shelf', component: () => import('../shelf/ShelfPage.vue'), meta: { title: 'Shelf' } },
    { path: '/bench/:revision(\\d+)', name: 'bench', component: () => import('../bench/BenchPage.vue'), meta: { title: 'Bench' } },
    { path: '/proof/:export(\\d+)', name: 'proof', component: () => import('../proof/ProofPage.vue'), meta: { title: 'Proof' } },
    { path: '/sheets/:sheet?', name: 'sheets', component: () => import('../sheets/SheetsPage.vue'), meta: { title: 'Rule sheets' } },
    { path: '/batches', name: 'batches', component: () => import('../batches/BatchesPage.vue'), meta: { title: 'Batches' } },
    { path: '/batches/:batch(\\d+)', name: 'batch', component: () => import('../batches/BatchPage.vue'), meta: { title: 'Batch' } },
    { path: '/guide/:page?', name: 'guide', component: () => import('../guide/GuidePage.vue'), meta: { title: 'Guide' } },
    { path: '/:rest(.*)*', redirect: '/' },
  ],
});

router.afterEach((to) => {
  nameTab(String(to.meta.title ?? ''));
  if (to.name === 'bench') localStorage.setItem('last-bench', to.path);
});
