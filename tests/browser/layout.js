// What is wrong with how a page is laid out: text over text, text cut without saying so, text outside of its panel, a button cut
// by an edge. Returns a sentence for each; names that stand at their place on the model may lie where the model puts them.
() => {
  const found = [];
  const say = (what, el, more = '') => {
    const own = el.textContent.trim().slice(0, 60);
    found.push(`${what}: "${own}" in ${el.closest('[aria-label]')?.getAttribute('aria-label') ?? el.className}${more}`);
  };
  const onModel = (el) => el.closest('.label, .handles, .over, canvas, .p-toast, .sr, .skip');
  const seen = (el) => el.checkVisibility({ opacityProperty: true, visibilityProperty: true });
  const told = (el) => {
    for (let e = el; e && e !== document.body; e = e.parentElement)
      if (e.title || (e.getAttribute('aria-label') && e.matches('button, a, article, [role=separator]'))) return true;
    return false;
  };
  // Whatever an element lies in that cuts it off, from the inside out; worked out once for each.
  const known = new Map();
  const clips = (el) => {
    if (!el || el === document.documentElement) return [];
    if (known.has(el)) return known.get(el);
    const s = getComputedStyle(el);
    const above = clips(el.parentElement);
    const [hx, hy] = [s.overflowX !== 'visible', s.overflowY !== 'visible'];
    const cuts = s.display !== 'inline' && s.display !== 'contents' && (hx || hy);
    // What can be scrolled to is not cut; that nothing need be, sideways, is looked at below.
    const own = { hx, hy, slides: s.overflowX === 'auto' || s.overflowX === 'scroll', hidden: s.overflowY === 'hidden', dots: s.textOverflow === 'ellipsis', clamped: s.webkitLineClamp !== 'none' };
    const all = cuts ? [{ ...own, c: el.getBoundingClientRect() }, ...above] : above;
    known.set(el, all);
    return all;
  };
  const texts = [];
  const walker = document.createTreeWalker(document.querySelector('#app'), NodeFilter.SHOW_TEXT);
  while (walker.nextNode()) {
    const node = walker.currentNode;
    const el = node.parentElement;
    if (!node.textContent.trim() || !seen(el) || onModel(el) || el.closest('option, select')) continue;
    const range = document.createRange();
    range.selectNodeContents(node);
    for (const r of range.getClientRects()) {
      let box = { left: r.left, right: r.right, top: r.top, bottom: r.bottom };
      let gone = false;
      for (const { c, hx, hy, slides, hidden, dots, clamped } of clips(el)) {
        if (hx && (box.right > c.right + 1.5 || box.left < c.left - 1.5)) {
          if (!slides && !(dots && told(el)) && box.left < c.right && box.right > c.left)
            say('cut at the side', el, ` by ${Math.round(box.right - c.right)} px`);
        }
        if (hidden && (box.bottom > c.bottom + 2.5 || box.top < c.top - 2.5) && box.top < c.bottom && box.bottom > c.top)
          if (!(clamped && told(el))) say('cut above or below', el);
        if (hx) box = { ...box, left: Math.max(box.left, c.left), right: Math.min(box.right, c.right) };
        if (hy) box = { ...box, top: Math.max(box.top, c.top), bottom: Math.min(box.bottom, c.bottom) };
        if (box.right - box.left < 1 || box.bottom - box.top < 1) {
          gone = true;
          break;
        }
      }
      if (gone) continue;
      if (box.right > innerWidth + 1 || box.left < -1 || box.bottom > innerHeight + 1) say('outside of the window', el);
      const panel = el.closest('article, section, dialog, [role=dialog], .figure')?.getBoundingClientRect();
      if (panel && (box.right > panel.right + 1.5 || box.left < panel.left - 1.5)) say('outside of its panel', el);
      texts.push({ el, ...box });
    }
  }
  const strip = document.querySelector('.onward')?.getBoundingClientRect();
  const shown = texts.filter((t) => !(strip && t.top >= strip.top - 1 && !t.el.closest('.onward')) );
  const lifted = (el) => el.closest('.p-popover, .p-dialog, .p-select-overlay, .news, .onward, thead');
  shown.sort((p, q) => p.top - q.top);
  for (let a = 0; a < shown.length; a++)
    for (let b = a + 1; b < shown.length && shown[b].top < shown[a].bottom - 4; b++) {
      const [p, q] = [shown[a], shown[b]];
      if (p.el === q.el || lifted(p.el) !== lifted(q.el)) continue;
      const wide = Math.min(p.right, q.right) - Math.max(p.left, q.left);
      const high = Math.min(p.bottom, q.bottom) - Math.max(p.top, q.top);
      if (wide > 1.5 && high > 4) say('text over text', p.el, ` and "${q.el.textContent.trim().slice(0, 40)}"`);
    }
  for (const el of document.querySelectorAll('#app .p-datatable-table-container, #app .in, #app .ledger'))
    if (el.scrollWidth > el.clientWidth + 1) say('wider than its place', el, ` by ${el.scrollWidth - el.clientWidth} px`);
  const inside = document.querySelector('.open .in');
  if (inside) {
    const c = inside.getBoundingClientRect();
    const edge = strip ? strip.top : c.bottom;
    for (const b of inside.querySelectorAll('button, summary, input, select, a')) {
      if (b.closest('.p-datatable-table-container')) continue;
      const r = b.getBoundingClientRect();
      if (r.height && r.top < edge - 1 && r.bottom > edge + 1) say('a button cut by the edge', b);
      if (r.width && r.right > c.right + 1) say('a button outside of its panel', b);
    }
  }
  for (const row of document.querySelectorAll('.open .p-datatable-table-container tbody tr')) {
    const c = row.closest('.p-datatable-table-container').getBoundingClientRect();
    const r = row.getBoundingClientRect();
    if (r.top < c.bottom - 6 && r.bottom > c.bottom + 6 && !getComputedStyle(row.closest('.p-datatable-table-container')).overflowY.match(/auto|scroll/))
      say('a row cut in two', row);
  }
  return [...new Set(found)];
}
