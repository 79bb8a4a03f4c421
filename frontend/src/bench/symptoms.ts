// A small drawing for each look, in a box of 32 × 26.
const INK = '#1E2A2F';
const box = (fill: string, more = '') =>
  `<path d="M6 9 16 4l10 5v10l-10 5-10-5Z" fill="${fill}" stroke="${INK}" stroke-width="1.2" stroke-linejoin="round"/><path d="M6 9l10 5 10-5M16 14v10" fill="none" stroke="${INK}" stroke-width="1"/>${more}`;

export const DRAWINGS: Record<string, string> = {
  white: box('#FFFDF8'),
  black: box('#2A2A2A', '<path d="M6 9l10 5 10-5M16 14v10" fill="none" stroke="#8A8378" stroke-width="1"/>'),
  box: `<path d="M7 3h18v20H7Z" fill="#2A2A2A"/><path d="M16 5c6 6 5 12 0 16-5-4-6-10 0-16Z" fill="#8FA57F"/>`,
  striped: `<path d="M5 5h22v16H5Z" fill="#E6DCC6" stroke="${INK}" stroke-width="1.2"/><path d="M9 5 7 21M15 5l-4 16M20 5l-3 16M25 5l-3 16" stroke="#4A6480" stroke-width="2"/>`,
  shading: `<circle cx="16" cy="13" r="9.500" fill="#E6DCC6" stroke="${INK}" stroke-width="1.2"/><path d="M16 3.5v19M7 10l18 6M9 19l14-12" stroke="#7A6A4A" stroke-width="1.600"/>`,
  hole: box('#D8CFBC', `<path d="M18.500 15.500 24 13v4.500L18.500 20Z" fill="#FFFDF8" stroke="${INK}" stroke-dasharray="2 1.500"/>`),
  'see-through': `<path d="M4 8h14v14H4Z" fill="#9FC3BB" stroke="${INK}"/><path d="M12 4h15v13H12Z" fill="#E6DCC6" fill-opacity=".45" stroke="${INK}"/>`,
  'inside-out': `<path d="M6 9 16 4l10 5v10l-10 5-10-5Z" fill="none" stroke="${INK}" stroke-width="1.2"/><path d="M6 19l10-5 10 5M16 14V4" fill="none" stroke="${INK}" stroke-width="1"/><path d="M6 19l10-5V4L6 9Z" fill="#D9A441" fill-opacity=".7"/>`,
  gone: `<path d="M6 9 16 4l10 5v10l-10 5-10-5Z" fill="none" stroke="${INK}" stroke-width="1.2" stroke-dasharray="2 2.500"/>`,
  jumps: `<path d="M5 21h22" stroke="${INK}"/><path d="M8 15h7v6H8Z" fill="#E6DCC6" stroke="${INK}" stroke-dasharray="2 2"/><path d="M19 6h7v6h-7Z" fill="#E6DCC6" stroke="${INK}"/><path d="M12 13c1-5 4-7 6-6" fill="none" stroke="#9E3136" stroke-width="1.500"/>`,
  beside: `<path d="M5 10h8v12H5Z" fill="#E6DCC6" stroke="${INK}"/><circle cx="22" cy="9" r="4.500" fill="#E6DCC6" stroke="${INK}"/><path d="M9 9V5M7 7h4" stroke="#9E3136"/>`,
  tears: `<path d="M4 14c5-8 8-8 11-3M17 12c3 5 6 4 11-3" fill="none" stroke="${INK}" stroke-width="3"/><path d="M15 7l2 4-2 3 2 5" fill="none" stroke="#9E3136" stroke-width="1.300"/>`,
  size: `<path d="M4 17h4v5H4Z" fill="#FFFDF8" stroke="${INK}"/><path d="M12 3h16v19H12Z" fill="#E6DCC6" stroke="${INK}"/>`,
  lies: `<path d="M4 22h24" stroke="${INK}"/><path d="M5 15h20l-3 6H5Z" fill="#E6DCC6" stroke="${INK}"/><path d="M16 12V4m-3 3 3-3 3 3" fill="none" stroke="#9E3136" stroke-width="1.300"/>`,
  blurred: `<path d="M5 4h22v18H5Z" fill="#E6DCC6" stroke="${INK}"/><path d="M5 10h7v6h7V4M12 16v6M19 10h8" stroke="#4A6480" stroke-width="2.500" fill="none" stroke-opacity=".55"/>`,
  slow: `<circle cx="16" cy="14" r="9" fill="#FFFDF8" stroke="${INK}" stroke-width="1.200"/><path d="M16 14V8M16 14l6 4M13 3h6" stroke="${INK}" stroke-width="1.500"/>`,
  refused: `<path d="M5 22V9c0-7 22-7 22 0v13" fill="none" stroke="${INK}" stroke-width="1.400"/><path d="M5 16h22M9 8v14M14 6v16M18 6v16M23 8v14" stroke="${INK}" stroke-width="1.100"/>`,
};
