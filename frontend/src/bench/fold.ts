// Where a scrolled panel may end: nothing that can be pressed is cut in two by its lower edge.
import { onBeforeUnmount, onMounted, ref, type Ref } from 'vue';

/** Height of the strip that says that there is more. */
const STRIP = 22;
const PRESSED = 'button, a, summary, input, select, h3, p, .figures, tr';

/** The highest place at which a cut leaves every one of the spans [top, bottom] whole; not above `least`. */
export function foldAt(edge: number, spans: readonly (readonly [number, number])[], least: number): number {
  let at = edge;
  // No space is left between: a row that ends where the next begins would be cut by it, and the one above by the next, up to the first.
  for (const [top, bottom] of [...spans].sort((a, b) => b[1] - a[1])) if (top < at && bottom > at) at = top;
  return Math.max(at, least);
}

/** From where to where an element is seen: a table that scrolls by itself shows some of its rows. */
function seen(x: Element): [number, number] {
  const r = x.getBoundingClientRect();
  const c = x.closest('.p-datatable-table-container')?.getBoundingClientRect();
  return c ? [Math.max(r.top, c.top), Math.min(r.bottom, c.bottom)] : [r.top, r.bottom];
}

/** How high the strip at the foot of `box` must be, and how much is hidden under it in pixels; 0 where all is seen. */
export function useFold(box: Ref<HTMLElement | undefined>) {
  const height = ref(0);
  const below = ref(0);
  let asked = 0;
  const look = () => {
    cancelAnimationFrame(asked);
    asked = requestAnimationFrame(() => {
      const el = box.value;
      if (!el) return;
      below.value = Math.round(el.scrollHeight - el.clientHeight - el.scrollTop);
      const { bottom, top } = el.getBoundingClientRect();
      if (below.value < 4) return void (height.value = 0);
      const spans = [...el.querySelectorAll(PRESSED)].map(seen).filter(([a, b]) => b > a && b - a < 200);
      height.value = Math.round(bottom - foldAt(bottom - STRIP, spans, top + (bottom - top) / 2));
    });
  };
  const sizes = new ResizeObserver(look);
  const changes = new MutationObserver(look);
  onMounted(() => {
    const el = box.value!;
    sizes.observe(el);
    changes.observe(el, { childList: true, subtree: true, characterData: true, attributes: true, attributeFilter: ['open', 'class'] });
    el.addEventListener('scroll', look, { passive: true });
    look();
  });
  onBeforeUnmount(() => {
    cancelAnimationFrame(asked);
    sizes.disconnect();
    changes.disconnect();
  });
  return { height, below };
}
