/** A number of bytes in words. */
export const bytes = (n: number) =>
  n < 1024 ? `${n} B` : n < 2 ** 20 ? `${(n / 1024).toFixed(1)} KiB` : `${(n / 2 ** 20).toFixed(2)} MiB`;
