<script setup lang="ts">
// A name that is cut in the middle where there is no room for it, and only there; whole on hover and to screen readers.
import { computed } from 'vue';

const props = defineProps<{ text: string }>();
const SHORT = 12;
const tail = computed(() => (props.text.length > SHORT ? props.text.slice(-Math.min(10, Math.floor(props.text.length * 0.4))) : ''));
</script>

<template>
  <span v-if="!tail" class="short" :title="text">{{ text }}</span>
  <span v-else class="cut" :title="text"
    ><span class="sr">{{ text }}</span
    ><span class="head" aria-hidden="true" :data-text="text.slice(0, -tail.length)" /><span
      class="tail"
      aria-hidden="true"
      :data-text="tail"
  /></span>
</template>

<style scoped>
.short {
  white-space: nowrap;
}
.cut {
  display: inline-flex;
  max-width: 100%;
  min-width: 0;
  vertical-align: bottom;
  position: relative;
}
.head {
  flex: 0 1 auto;
  min-width: 1.5em;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: pre;
}
.tail {
  flex: none;
  white-space: pre;
}
.head::before,
.tail::before {
  content: attr(data-text);
}
</style>
