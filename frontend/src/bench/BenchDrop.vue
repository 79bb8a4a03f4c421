<script setup lang="ts">
// Files dropped anywhere on the Bench become the model's next revision, which then opens by itself.
import { useToast } from 'primevue/usetoast';
import { onBeforeUnmount, onMounted, ref, watch } from 'vue';
import { useRouter } from 'vue-router';
import type { Bench } from '../api/client';
import { filesOfDrop, filesOfList, useIntake } from '../shelf/useIntake';

const props = defineProps<{ bench: Bench }>();
const { state, share, send, cancel, dismiss } = useIntake();
const router = useRouter();
const toast = useToast();
const over = ref(false);
const chooser = ref<HTMLInputElement>();
const waiting = ref(0);
let depth = 0;

async function take(files: Awaited<ReturnType<typeof filesOfDrop>>) {
  await send(files, props.bench.model);
  if (!state.error) waiting.value = Math.max(...props.bench.revisions.map((r) => r.number)) + 1;
}
watch(
  () => state.error,
  (e) => {
    if (!e) return;
    toast.add({ severity: 'error', summary: e, life: 9000 });
    dismiss();
  },
);
watch(
  () => props.bench.revisions,
  (all) => {
    const arrived = waiting.value ? all.find((r) => r.number >= waiting.value) : undefined;
    if (!arrived) return;
    waiting.value = 0;
    void router.push(`/bench/${arrived.id}`);
  },
);
const on: Record<string, (e: DragEvent) => void> = {
  dragenter(e) {
    if (!e.dataTransfer?.types.includes('Files')) return;
    e.preventDefault();
    depth++;
    over.value = true;
  },
  dragleave: () => (over.value = --depth > 0),
  dragover: (e) => e.dataTransfer?.types.includes('Files') && e.preventDefault(),
  async drop(e) {
    if (!e.dataTransfer?.types.includes('Files')) return;
    e.preventDefault();
    depth = 0;
    over.value = false;
    await take(await filesOfDrop(e.dataTransfer));
  },
};
onMounted(() => Object.entries(on).forEach(([k, f]) => addEventListener(k, f as EventListener)));
onBeforeUnmount(() => Object.entries(on).forEach(([k, f]) => removeEventListener(k, f as EventListener)));
function chosen(e: Event) {
  const input = e.target as HTMLInputElement;
  if (input.files) void take(filesOfList(input.files));
  input.value = '';
}
defineExpose({ choose: () => chooser.value?.click() });
</script>

<template>
  <div v-if="over" class="over">
    <p class="display">Set it down: it becomes rev {{ bench.revisions.length + 1 }} of {{ bench.name }}</p>
  </div>
  <div v-if="state.busy" class="going" role="status">
    Taking in {{ state.name }} · {{ Math.round(share * 100) }} %<template v-if="state.behind">, then {{ state.behind }} more</template>
    <button class="btn plain" @click="cancel">Stop</button>
  </div>
  <input ref="chooser" type="file" multiple hidden data-testid="revision-files" @change="chosen" />
</template>

<style scoped>
.over {
  position: absolute;
  inset: 8px;
  z-index: 20;
  display: grid;
  place-items: center;
  border: 2px dashed var(--hl-verdigris);
  background: rgba(220, 233, 229, 0.86);
  pointer-events: none;
  font-size: 22px;
}
.going {
  position: absolute;
  right: 16px;
  bottom: 76px;
  z-index: 6;
  background: var(--hl-sheet);
  border: 1px solid var(--hl-rule-strong);
  border-radius: 3px;
  padding: 4px 12px;
  box-shadow: var(--hl-shadow-pop);
}
</style>
