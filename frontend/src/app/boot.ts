// First paint first: the page's own words stand there before the application is read. The Bench is read beside it.
requestAnimationFrame(() =>
  setTimeout(() => {
    void import('./main');
    if (location.pathname.startsWith('/bench/')) void import('../bench/BenchPage.vue');
  }),
);
