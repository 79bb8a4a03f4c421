<script setup lang="ts">
// The ring, its ticks and the folding case: one drawing moved by a transform, so it costs no 3D work.
import { computed } from 'vue';

const props = defineProps<{ x: number; y: number; r: number; turn: number }>();
const ticks = computed(() => {
  let d = '';
  for (let i = 0; i < 360; i += 6) {
    const l = i % 30 ? 4 : 8;
    const [c, s] = [Math.cos((i * Math.PI) / 180), Math.sin((i * Math.PI) / 180)];
    d += `M${c * (props.r - 1)} ${s * (props.r - 1)}L${c * (props.r - 1 - l)} ${s * (props.r - 1 - l)}`;
  }
  return d;
});
const hole = computed(
  () => `M-3000 -3000H3000V3000H-3000ZM${props.r} 0A${props.r} ${props.r} 0 1 0 ${-props.r} 0A${props.r} ${props.r} 0 1 0 ${props.r} 0Z`,
);
const fold = computed(() => {
  const { r } = props;
  const w = r * 0.4;
  const l = r * 0.62;
  return `M${r * 0.9} ${-w * 0.62}C${r + l * 0.35} ${-w * 0.9} ${r + l} ${-w * 0.8} ${r + l} 0C${r + l} ${w * 0.8} ${r + l * 0.35} ${w * 0.9} ${r * 0.9} ${w * 0.62}Z`;
});
</script>

<template>
  <svg class="ring" aria-hidden="true">
    <defs>
      <clipPath id="outside-glass"><path clip-rule="evenodd" :d="hole" /></clipPath>
    </defs>
    <g :transform="`translate(${x} ${y})`">
      <g clip-path="url(#outside-glass)" class="case">
        <g :transform="`rotate(${turn})`">
          <path :d="fold" fill="#2B756F" stroke="#17403C" stroke-width="1.2" />
          <circle :cx="r + r * 0.41" cy="0" r="5" fill="#F6F1E7" stroke="#17403C" />
        </g>
        <circle :r="r + 3" fill="none" stroke="#2B756F" stroke-width="6" />
      </g>
      <path :d="ticks" stroke="#1E2A2F" opacity=".55" />
      <circle :r="r + 6.5" fill="none" stroke="#17403C" stroke-width="1.2" />
      <circle :r="r" fill="none" stroke="#17403C" />
    </g>
  </svg>
</template>

<style scoped>
.ring {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  pointer-events: none;
}
.case {
  filter: drop-shadow(0 8px 12px rgba(70, 55, 30, 0.28));
}
</style>
