<script setup lang="ts">
import Dialog from 'primevue/dialog';
import InputNumber from 'primevue/inputnumber';
import Select from 'primevue/select';
import { reactive, watch } from 'vue';
import type { Intent } from '../api/client';

const props = defineProps<{ intent: Intent; kinds: string[] }>();
const visible = defineModel<boolean>('visible', { required: true });
const emit = defineEmits<{ save: [Intent] }>();
const UNITS = [{ name: 'metres', m: 1 }, { name: 'centimetres', m: 0.01 }, { name: 'millimetres', m: 0.001 }, { name: 'inches', m: 0.0254 }, { name: 'feet', m: 0.3048 }];
const SEEN = [{ label: 'from outside', value: 'outside' }, { label: 'from inside, as a room', value: 'inside' }, { label: 'from both sides', value: 'both' }, { label: 'inverted on purpose', value: 'inverted' }];
const STANDS = [
  { label: 'stands on its base', value: 'base-centre' }, { label: 'turns about its middle', value: 'centre' }, { label: 'hangs from its top', value: 'top-centre' },
  { label: 'hinges on its left side', value: 'middle-left' }, { label: 'hinges on its right side', value: 'middle-right' }, { label: 'hinges at its back', value: 'middle-back' },
];
const form = reactive({ kind: null as string | null, unit: 1, height: null as number | null, width: null as number | null, depth: null as number | null, seen: 'outside', pivot: null as string | null, copies: 1 });

// Made when it is first opened, so it is open already.
watch(visible, (open) => {
  if (!open) return;
  const e = props.intent.expected ?? {};
  Object.assign(form, {
    kind: props.intent.kind ?? null, unit: 1, height: e.height_m ?? null, width: e.width_m ?? null, depth: e.depth_m ?? null,
    seen: props.intent.seen_from ?? 'outside', pivot: props.intent.pivot ?? null, copies: props.intent.copies ?? 1,
  });
}, { immediate: true });
function changeUnit(m: number) {
  const f = form.unit / m;
  for (const k of ['height', 'width', 'depth'] as const) if (form[k] !== null) form[k] = Number((form[k]! * f).toPrecision(6));
  form.unit = m;
}
function save() {
  const m = (v: number | null) => (v === null || !(v > 0) ? null : Number((v * form.unit).toPrecision(9)));
  const sizes = { height_m: m(form.height), width_m: m(form.width), depth_m: m(form.depth) };
  const expected = Object.fromEntries(Object.entries(sizes).filter(([, v]) => v !== null));
  // What this sheet does not show, such as words on single parts, is kept as it was.
  emit('save', { ...props.intent, kind: form.kind, expected, seen_from: form.seen, pivot: form.pivot, copies: form.copies || 1 });
  visible.value = false;
}
</script>

<template>
  <Dialog v-model:visible="visible" modal header="What is it meant to be?" dismissable-mask>
    <form id="intent" class="form" @submit.prevent="save">
      <label id="l-kind" for="kind">Kind</label>
      <Select v-model="form.kind" input-id="kind" aria-labelledby="l-kind" :options="kinds" show-clear placeholder="not said" size="small" />
      <span>Expected size</span>
      <div class="sizes">
        <label v-for="[k, w] in [['height', 'tall'], ['width', 'wide'], ['depth', 'deep']] as const" :key="k">
          <InputNumber v-model="form[k]" :min="0" :max-fraction-digits="6" size="small" :input-style="{ width: '84px' }" :aria-label="`Expected size, ${w}`" /> <span class="faded small">{{ w }}</span>
        </label>
        <Select :model-value="form.unit" :options="UNITS" option-label="name" option-value="m" size="small" aria-label="Unit of the expected size" @update:model-value="changeUnit" />
      </div>
      <label id="l-seen" for="seen">Seen</label>
      <Select v-model="form.seen" input-id="seen" aria-labelledby="l-seen" :options="SEEN" option-label="label" option-value="value" size="small" />
      <label id="l-stands" for="stands">Pivot</label>
      <Select v-model="form.pivot" input-id="stands" aria-labelledby="l-stands" :options="STANDS" option-label="label" option-value="value" show-clear placeholder="not said" size="small" />
      <label for="copies">Copies in the scene</label>
      <InputNumber v-model="form.copies" input-id="copies" :min="1" :max="1000000" size="small" :input-style="{ width: '110px' }" />
    </form>
    <p class="faded small">The checks follow this: a size is only wrong against what it should be.</p>
    <template #footer><button class="btn" @click="visible = false">Leave as it was</button><button class="btn main" type="submit" form="intent">Keep this</button></template>
  </Dialog>
</template>

<style scoped>
.form { display: grid; grid-template-columns: 140px 1fr; gap: 10px 14px; align-items: center; min-width: 520px; margin-bottom: 10px; }
.form > :deep(.p-select) { width: 240px; }
.sizes { display: flex; gap: 8px; align-items: flex-start; }
.sizes label { display: flex; flex-direction: column; }
.form > :deep(.p-inputnumber) { width: 110px; }
</style>
