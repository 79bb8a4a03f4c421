<script setup lang="ts">
import { onBeforeUnmount, onMounted, ref } from 'vue';
import ResultMark from '../ui/ResultMark.vue';
import { filesOfDrop, filesOfList, useIntake } from './useIntake';

const { state, share, send, cancel, dismiss } = useIntake();
const over = ref(false);
const files = ref<HTMLInputElement>();
const folder = ref<HTMLInputElement>();
let depth = 0;
const enter = (e: DragEvent) => {
  if (!e.dataTransfer?.types.includes('Files')) return;
  e.preventDefault();
  depth++;
  over.value = true;
};
const leave = () => (over.value = --depth > 0);
const allow = (e: DragEvent) => e.preventDefault();
async function drop(e: DragEvent) {
  e.preventDefault();
  depth = 0;
  over.value = false;
  if (e.dataTransfer) await send(await filesOfDrop(e.dataTransfer));
}
// The whole window takes files: nobody has to aim.
const events = { dragenter: enter, dragleave: leave, dragover: allow, drop } as Record<string, (e: never) => void>;
onMounted(() => Object.entries(events).forEach(([k, f]) => addEventListener(k, f as unknown as EventListener)));
onBeforeUnmount(() => Object.entries(events).forEach(([k, f]) => removeEventListener(k, f as unknown as EventListener)));
function chosen(e: Event) {
  const input = e.target as HTMLInputElement;
  if (input.files) void send(filesOfList(input.files));
  input.value = '';
}
defineExpose({ choose: () => files.value?.click() });
</script>

<template>
  <section class="drop" :class="{ over }" aria-label="Set a model on the shelf">
    <svg width="46" height="46" viewBox="0 0 46 46" aria-hidden="true">
      <path d="M6 27v12h34V27" fill="none" stroke="#1E2A2F" stroke-width="1.6" />
      <path d="M23 6v23m-8-8 8 8 8-8" fill="none" stroke="#2B756F" stroke-width="2.2" stroke-linecap="round" stroke-linejoin="round" />
    </svg>
    <div v-if="state.busy" class="going">
      <b class="display">Taking in {{ state.name }}</b>
      <div
        class="strip"
        role="progressbar"
        :aria-valuenow="Math.round(share * 100)"
        aria-valuemin="0"
        aria-valuemax="100"
        aria-label="Upload"
      >
        <i :style="{ width: `${share * 100}%` }" />
      </div>
      <span v-if="state.behind" class="small faded">then {{ state.behind }} more {{ state.behind === 1 ? 'drop' : 'drops' }}</span>
      <span class="mono small faded">{{ (state.sent / 1e6).toFixed(1) }} of {{ (state.total / 1e6).toFixed(1) }} MB</span>
      <button class="btn plain" @click="cancel">Stop</button>
    </div>
    <div v-else-if="state.error" class="going" role="alert">
      <span class="stop"><ResultMark result="stop" /> {{ state.error }}</span>
      <button class="btn plain" @click="dismiss">Put away</button>
    </div>
    <div v-else>
      <b class="display">Set a model on the shelf</b>
      <p class="small faded">
        Drop its mesh files and textures together, or <button class="link" @click="files?.click()">choose files</button> or
        <button class="link" @click="folder?.click()">a folder</button>. A zip works; so do several models at once.
      </p>
    </div>
    <input ref="files" type="file" multiple hidden data-testid="files" @change="chosen" />
    <input ref="folder" type="file" webkitdirectory hidden @change="chosen" />
  </section>
</template>

<style scoped>
.drop {
  border: 1.6px dashed var(--hl-rule-strong);
  border-radius: 3px;
  background: var(--hl-sheet);
  padding: 8px 14px;
  display: flex;
  gap: 14px;
  align-items: center;
  min-height: 92px;
}
.drop.over {
  border-color: var(--hl-verdigris);
  background: var(--hl-verdigris-wash);
}
svg {
  flex: none;
}
b {
  font-size: 16px;
  font-weight: 600;
}
p {
  line-height: 1.35;
}
.link {
  border: 0;
  background: none;
  padding: 0;
  color: var(--hl-verdigris-text);
  text-decoration: underline;
  text-underline-offset: 2px;
  cursor: pointer;
}
.going {
  flex: 1;
  min-width: 0;
  overflow-wrap: anywhere;
  line-height: 1.3;
}
.strip {
  height: 8px;
  border: 1px solid var(--hl-rule-strong);
  background: var(--hl-sheet);
  margin: 6px 0 2px;
}
.strip i {
  display: block;
  height: 100%;
  background: repeating-linear-gradient(90deg, var(--hl-verdigris) 0 5px, var(--hl-verdigris-deep) 5px 6px);
}
</style>
