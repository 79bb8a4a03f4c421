<script setup lang="ts">
// The edge between ledger and stage: dragged, or moved by arrow keys; a double click puts it back.
import { onBeforeUnmount, onMounted, ref } from 'vue';

const width = defineModel<number>({ required: true });
const USUAL = 552;
const LEAST = 420;
const KEPT = 'hand-lens.ledger';
const most = ref(900);
const bounded = (w: number) => Math.round(Math.min(most.value, Math.max(LEAST, w)));
function set(w: number, keep = true) {
  // What the page has of it is renewed only after this.
  const next = bounded(w);
  width.value = next;
  if (keep) localStorage.setItem(KEPT, String(next));
}
/** The stage keeps room for its rack of lenses. */
function measure() {
  most.value = Math.max(LEAST, innerWidth - 520);
  set(Number(localStorage.getItem(KEPT)) || USUAL, false);
}
onMounted(() => {
  measure();
  addEventListener('resize', measure);
});
onBeforeUnmount(() => removeEventListener('resize', measure));
function drag(e: PointerEvent) {
  const el = e.currentTarget as HTMLElement;
  if (el.hasPointerCapture(e.pointerId)) set(e.clientX);
}
const take = (e: PointerEvent) => (e.currentTarget as HTMLElement).setPointerCapture(e.pointerId);
function key(e: KeyboardEvent) {
  const by = { ArrowLeft: -24, ArrowRight: 24, Home: -4000, End: 4000 }[e.key];
  if (!by) return;
  e.preventDefault();
  e.stopPropagation();
  set(width.value + by);
}
</script>

<template>
  <div
    class="edge"
    role="separator"
    aria-orientation="vertical"
    aria-label="Width of the ledger"
    title="Drag to make the ledger wider or narrower"
    tabindex="0"
    :aria-valuenow="width"
    :aria-valuemin="LEAST"
    :aria-valuemax="most"
    @pointerdown.prevent="take"
    @pointermove="drag"
    @dblclick="set(USUAL)"
    @keydown="key"
  />
</template>

<style scoped>
.edge {
  position: absolute;
  left: calc(var(--hl-ledger-w) - 4px);
  top: 0;
  bottom: 0;
  width: 8px;
  z-index: 3;
  cursor: col-resize;
  touch-action: none;
}
.edge:hover,
.edge:focus-visible {
  background: linear-gradient(90deg, transparent 3px, var(--hl-verdigris) 3px 5px, transparent 5px);
  outline-offset: -1px;
}
@media (max-width: 1099px) {
  .edge {
    display: none;
  }
}
</style>
