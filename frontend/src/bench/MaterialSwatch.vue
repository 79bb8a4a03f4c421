<script setup lang="ts">
// A material as a small picture: its image as it is laid on, else its colour; paper with a cross where the image is lost.
import { computed, onMounted, ref, watch } from 'vue';
import type { Surface } from '../stage/looks';
import { useBench } from './useBench';

const SIDE = 20;
const props = defineProps<{ material: number }>();
const bench = useBench('marks');
const canvas = ref<HTMLCanvasElement>();
const surface = computed<Surface | undefined>(() => {
  for (const mesh of bench.drawn.value?.parts.values() ?? []) {
    const found = (mesh.userData.surfaces as Surface[]).find((s) => s.slot === props.material);
    if (found) return found;
  }
  return undefined;
});
function draw() {
  const x = canvas.value?.getContext('2d');
  if (!x) return;
  const s = surface.value;
  x.clearRect(0, 0, SIDE, SIDE);
  x.fillStyle = s?.missing || !s ? '#FFFDF8' : s.colour;
  x.fillRect(0, 0, SIDE, SIDE);
  const image = s?.map?.image as CanvasImageSource | undefined;
  if (image) {
    x.globalCompositeOperation = 'multiply';
    x.drawImage(image, 0, 0, SIDE, SIDE);
    x.globalCompositeOperation = 'source-over';
  }
  if (!s?.missing && s) return;
  x.strokeStyle = '#8A8378';
  x.beginPath();
  x.moveTo(0, 0);
  x.lineTo(SIDE, SIDE);
  x.stroke();
}
onMounted(draw);
watch(surface, draw);
</script>

<template><canvas ref="canvas" :width="SIDE" :height="SIDE" class="swatch" aria-hidden="true" /></template>

<style scoped>
.swatch {
  flex: none;
  width: 18px;
  height: 18px;
  border: 1px solid var(--hl-rule-strong);
  border-radius: 2px;
}
</style>
