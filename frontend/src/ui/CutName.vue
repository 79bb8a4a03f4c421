<script setup lang="ts">
// A long name cut in the middle, whole on hover and to screen readers. It may be broken where its words end.
import { computed } from 'vue';

const props = defineProps<{ text: string; longest?: number }>();
const shown = computed(() => {
  const most = props.longest ?? 28;
  if (props.text.length <= most) return props.text;
  const tail = Math.floor(most * 0.4);
  return `${props.text.slice(0, most - tail - 1)}…${props.text.slice(-tail)}`;
});
const words = computed(() => shown.value.split(/(?<=[_/\\-])/));
</script>

<template>
  <span :title="text" :class="{ short: text.length < 13 }"><template v-for="(w, k) in words" :key="k"><wbr v-if="k" />{{ w }}</template></span>
</template>

<style scoped>
.short { white-space: nowrap; }
</style>
