<script setup lang="ts">
import { computed } from 'vue';
import type { useStage } from './useStage';

const props = defineProps<{ context: ReturnType<typeof useStage> }>();
const state = props.context.state;
const m = props.context.motion;
const SPEEDS = [0.1, 0.25, 0.5, 1, 2];
const seconds = (s: number) => `${s.toFixed(2)} s`;
const said = computed(() => (state.posed ? `${seconds(state.time)} of ${seconds(state.seconds)}` : 'at rest'));
</script>

<template>
  <div class="motion" :class="{ higher: state.look }" role="group" aria-label="Motion">
    <div class="line">
      <button class="btn go" :aria-pressed="state.playing" :disabled="!(state.seconds > 0)" @click="m.play()">
        {{ state.playing ? 'Pause' : 'Play' }}
      </button>
      <button class="btn" aria-label="One frame back" title="One frame back" @click="m.stepFrame(-1)">‹</button>
      <input
        type="range"
        min="0"
        :max="state.seconds"
        step="any"
        :value="state.posed ? state.time : 0"
        aria-label="Moment of the clip"
        :aria-valuetext="said"
        @input="m.seek(Number(($event.target as HTMLInputElement).value))"
      />
      <button class="btn" aria-label="One frame on" title="One frame on" @click="m.stepFrame(1)">›</button>
      <span class="mono time">{{ said }}</span>
    </div>
    <div class="line">
      <label class="clip"
        >Clip
        <select aria-label="Clip" :value="state.clip" @change="m.chooseClip(Number(($event.target as HTMLSelectElement).value))">
          <option v-for="(name, k) in state.clips" :key="k" :value="k">{{ name }}</option>
        </select></label
      >
      <label
        >Speed
        <select v-model.number="state.speed" aria-label="Speed">
          <option v-for="s in SPEEDS" :key="s" :value="s">{{ s }}×</option>
        </select></label
      >
      <label><input v-model="state.loop" type="checkbox" /> Loop</label>
      <span class="pair" role="group" aria-label="Rest or pose">
        <button :aria-pressed="!state.posed" @click="m.rest(true)">rest</button
        ><button :aria-pressed="state.posed" @click="m.rest(false)">pose</button>
      </span>
    </div>
  </div>
</template>

<style scoped>
.motion {
  position: absolute;
  left: 118px;
  right: 140px;
  bottom: 70px;
  display: flex;
  flex-direction: column;
  gap: 2px;
  padding: 5px 8px;
  font-size: 12.5px;
  background: var(--hl-sheet);
  border: 1px solid var(--hl-rule-strong);
  border-radius: 3px;
}
/* Clear of the shapes that the loupe can take. */
.higher {
  bottom: 100px;
}
.line {
  display: flex;
  gap: 6px;
  align-items: center;
}
.btn {
  min-height: 24px;
  padding: 0 8px;
}
.go {
  min-width: 58px;
}
.time {
  min-width: 106px;
  text-align: right;
  font-size: 12px;
}
input[type='range'] {
  flex: 1;
  min-width: 60px;
  accent-color: var(--hl-verdigris);
  height: 24px;
}
input[type='checkbox'] {
  accent-color: var(--hl-verdigris);
}
label {
  display: flex;
  gap: 4px;
  align-items: center;
  min-height: 24px;
  white-space: nowrap;
}
.clip {
  flex: 1;
  min-width: 0;
}
.clip select {
  flex: 1;
  min-width: 0;
}
select {
  min-height: 24px;
  border: 0;
  border-bottom: 1px solid var(--hl-rule-strong);
  background: none;
  font: 500 12.5px var(--hl-font-text);
}
.pair button {
  border: 0;
  background: none;
  min-height: 24px;
  min-width: 34px;
  padding: 0 3px;
  cursor: pointer;
  color: var(--hl-ink-faded);
}
.pair button[aria-pressed='true'] {
  color: var(--hl-ink);
  font-weight: 700;
  border-bottom: 2px solid var(--hl-verdigris);
}
@media (max-width: 1199px) {
  .motion {
    left: 10px;
    right: 126px;
  }
}
</style>
