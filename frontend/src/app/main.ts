import '../ui/base.css';
import { VueQueryPlugin } from '@tanstack/vue-query';
import PrimeVue from 'primevue/config';
import ToastService from 'primevue/toastservice';
import { createApp, markRaw } from 'vue';
import { HandLens } from '../ui/preset';
import App from './App.vue';
import { router } from './router';

const nonce = document.querySelector<HTMLMetaElement>('meta[name="csp-nonce"]')?.content;

// The theme never changes while the page is open, so nothing in it is watched.
createApp(App)
  .use(router)
  .use(VueQueryPlugin, { queryClientConfig: { defaultOptions: { queries: { retry: 1, staleTime: 2000, refetchOnWindowFocus: false } } } })
  .use(PrimeVue, { ripple: false, theme: markRaw({ preset: HandLens, options: { darkModeSelector: '.never' } }), csp: { nonce } })
  .use(ToastService)
  .mount('#app');
