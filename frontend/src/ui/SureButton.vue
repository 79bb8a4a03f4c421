<script setup lang="ts">
// A button for what cannot be undone: the first press asks, the second does it; let go, it asks no more.
import { ref } from 'vue';

defineProps<{ label: string; asks: string; name?: string }>();
const emit = defineEmits<{ sure: [] }>();
const asked = ref(false);
function press() {
  if (asked.value) emit('sure');
  asked.value = !asked.value;
}
</script>

<template>
  <button
    type="button"
    class="btn"
    :class="asked ? 'main' : 'plain'"
    :aria-label="name ? `${asked ? asks : label} ${name}` : undefined"
    @click="press"
    @blur="asked = false"
    @keydown.esc.stop="asked = false"
  >
    {{ asked ? asks : label }}
  </button>
</template>
