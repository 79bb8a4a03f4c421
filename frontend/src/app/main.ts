import '../ui/base.css';
import { VueQueryPlugin } from '@tanstack/vue-query';
import PrimeVue from 'primevue/config';
import ToastService from 'primevue/toastservice';
import { createApp } from 'vue';
import { HandLens } from '../ui/preset';
import App from './App.vue';
import { router } from './router';

const nonce = document.querySelector<HTMLMetaElement>('meta[name="csp-nonce"]')?.content;

createApp(App)
  .use(router)
  .use(VueQueryPlugin, { queryClientConfig: { defaultOptions: { queries: { retry: 1, staleTime: 2000, refetchOnWindowFocus: false } } } })
  .use(PrimeVue, { ripple: false, theme: { preset: HandLens, options: { darkModeSelector: '.never' } }, csp: { nonce } })
  .use(ToastService)
  .mount('#app');
