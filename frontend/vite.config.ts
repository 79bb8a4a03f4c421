import vue from '@vitejs/plugin-vue';
import { defineConfig, type Plugin } from 'vite';

/**
 * Lets the browser fetch the Bench's scripts and styles beside the first script instead of after it. They are fetched alone, not
 * read: the page's first paint goes before.
 */
const early: Plugin = {
  name: 'early-bench',
  transformIndexHtml: {
    order: 'post',
    handler: (_, { bundle }) => {
      const chunks = Object.values(bundle ?? {}).filter((c) => c.type === 'chunk');
      const named = chunks.filter((c) => ['main', 'BenchPage', 'viewer'].includes(c.name));
      const scripts = new Set(named.flatMap((c) => [c.fileName, ...c.imports]));
      const styles = new Set(named.flatMap((c) => [...(c.viteMetadata?.importedCss ?? [])]));
      const link = (file: string, as: string) => ({
        tag: 'link',
        // As the bundle asks for both: a request made in another way would be made twice.
        attrs: { rel: 'preload', as, crossorigin: true, href: `/${file}` },
        injectTo: 'head' as const,
      });
      return [...[...scripts].map((f) => link(f, 'script')), ...[...styles].map((f) => link(f, 'style'))];
    },
  },
};

export default defineConfig({
  plugins: [vue(), early],
  build: { target: 'es2022', chunkSizeWarningLimit: 900 },
  worker: { format: 'es' },
  server: { proxy: { '/api': 'http://127.0.0.1:8440' } },
});
