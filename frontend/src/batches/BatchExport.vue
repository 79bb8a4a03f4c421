<script setup lang="ts">
// Writing all models of a batch for its destination; then what was written, in one zip.
import { useQuery } from '@tanstack/vue-query';
import Dialog from 'primevue/dialog';
import { computed, ref, watch } from 'vue';
import { api, type Batch } from '../api/client';
import { many } from './batch';

const props = defineProps<{ batch: Batch; chosen: number[] }>();
const visible = defineModel<boolean>('visible', { required: true });
const emit = defineEmits<{ begin: [wish: { format: string; whole: boolean; models: number[] | null }] }>();
const { data: catalogue } = useQuery({ queryKey: ['catalogue'], queryFn: api.catalogue, staleTime: Infinity });
const sheet = computed(() => catalogue.value?.sheets.find((s) => s.slug === props.batch.sheet));
const format = ref('');
const only = ref(false);
watch(visible, (open) => open && (only.value = props.chosen.length > 0), { immediate: true });
const number = computed(() => (only.value ? props.chosen.length : props.batch.models));
function begin() {
  const whole = format.value === 'whole';
  emit('begin', { format: whole ? '' : format.value, whole, models: only.value ? props.chosen : null });
  visible.value = false;
}
</script>

<template>
  <Dialog v-model:visible="visible" modal :header="`Export for ${sheet?.name ?? batch.sheet}`" :style="{ width: '520px' }">
    <fieldset>
      <legend>Each model as</legend>
      <label
        ><input v-model="format" type="radio" value="" /> its own format where the destination takes it, else the first that it takes</label
      >
      <label v-for="f in sheet?.formats ?? []" :key="f"><input v-model="format" type="radio" :value="f" /> {{ f }}</label>
      <label><input v-model="format" type="radio" value="whole" /> the package that it came in, with what was mended in its place</label>
    </fieldset>
    <label v-if="chosen.length"><input v-model="only" type="checkbox" /> only the {{ many(chosen.length, 'model') }} that are chosen</label>
    <p class="faded small">Each is written with its tape, opened afresh and compared. What is not proved is told on the board.</p>
    <template #footer>
      <button class="btn" @click="visible = false">Not now</button>
      <button class="btn main" @click="begin">Write and prove {{ many(number, 'model') }}</button>
    </template>
  </Dialog>
</template>

<style scoped>
fieldset {
  border: 0;
  padding: 0;
  margin: 0 0 8px;
  display: grid;
  gap: 6px;
}
legend {
  font-weight: 700;
  margin-bottom: 4px;
}
</style>
