<script setup lang="ts">
// A button for what cannot be undone: the first press asks, the second does it; left alone for a while, it asks no more.
import { onBeforeUnmount, ref } from 'vue';

defineProps<{ label: string; asks: string; name?: string }>();
const emit = defineEmits<{ sure: [] }>();
const ASKS_FOR = 8000;
const asked = ref(false);
let timer = 0;
function ask(on: boolean) {
  window.clearTimeout(timer);
  asked.value = on;
  if (on) timer = window.setTimeout(() => (asked.value = false), ASKS_FOR);
}
function press() {
  if (asked.value) emit('sure');
  ask(!asked.value);
}
onBeforeUnmount(() => window.clearTimeout(timer));
</script>

<template>
  <button
    type="button"
    class="btn"
    :class="asked ? 'main' : 'plain'"
    :aria-label="name ? `${asked ? asks : label} ${name}` : undefined"
    @click="press"
    @keydown.esc="asked && ($event.stopPropagation(), ask(false))"
  >
    {{ asked ? asks : label }}
  </button>
</template>
