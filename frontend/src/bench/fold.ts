// Where a scrolled panel may end: nothing that can be pressed is cut in two by its lower edge.
import { onBeforeUnmount, onMounted, ref, type Ref } from 'vue';

/** Height of the strip that says that there is more. */
const STRIP = 22;
const PRESSED = 'button, a, summary, input, select';
const READ = 'h3, p, .figures, tr';
/** A text is rather cut than that more than so much room is left empty for its sake. */
const EMPTY = 60;

/** From where to where something reaches, and whether it can be pressed. */
export type Span = readonly [top: number, bottom: number, pressed: boolean];

/**
 * The lowest place at which a cut leaves every span whole; where that lies far up, or nowhere, the lowest that leaves whole what can be
 * pressed; not above `least`.
 */
export function foldAt(edge: number, spans: readonly Span[], least: number): number {
  const places = [edge, ...spans.flatMap(([top, bottom]) => [top, bottom])].filter((y) => y >= least && y <= edge).sort((a, b) => b - a);
  const whole = (at: number, some: readonly Span[]) => some.every(([top, bottom]) => top > at - 0.5 || bottom < at + 0.5);
  const all = places.find((at) => whole(at, spans));
  if (all !== undefined && edge - all <= EMPTY) return all;
  const pressed = spans.filter((x) => x[2]);
  return places.find((at) => whole(at, pressed)) ?? all ?? least;
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
      const spans = [...el.querySelectorAll(`${PRESSED}, ${READ}`)]
        .map((x): Span => [...seen(x), x.matches(PRESSED)])
        .filter(([a, b]) => b > a && b - a < 200);
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
