<script setup lang="ts">
// One value of a sheet as it is filled in, by its kind.
import InputNumber from 'primevue/inputnumber';
import InputText from 'primevue/inputtext';
import Select from 'primevue/select';
import ToggleSwitch from 'primevue/toggleswitch';
import { computed } from 'vue';
import type { Field } from '../api/client';

const props = defineProps<{ field: Field; path: string }>();
const value = defineModel<unknown>({ required: true });
const numeric = computed(() => props.field.kind === 'count' || props.field.kind === 'number');
const amount = computed(() => value.value as number | null);
const choice = computed(() => value.value as string | null);
/** Lists of words are written with commas; joints one a line: name, other names < the joint above. */
interface Joint {
  name: string;
  also?: string[];
  parent?: string | null;
}
const joints = computed(() => props.path === 'motion.skeleton');
const listed = computed(() => {
  const list = (value.value ?? []) as unknown[];
  return joints.value
    ? (list as Joint[]).map((j) => [j.name, ...(j.also ?? [])].join(', ') + (j.parent ? ` < ${j.parent}` : '')).join('\n')
    : list.join(', ');
});
function write(text: string) {
  const words = (line: string) =>
    line
      .split(',')
      .map((w) => w.trim())
      .filter(Boolean);
  if (!joints.value) value.value = words(text);
  else
    value.value = text
      .split('\n')
      .filter((l) => l.trim())
      .map((line) => {
        const [left = '', parent = ''] = line.split('<').map((w) => w.trim());
        const [name = '', ...also] = words(left);
        return { name, ...(also.length ? { also } : {}), ...(parent ? { parent } : {}) };
      });
}
</script>

<template>
  <label v-if="numeric" class="figure"
    ><InputNumber
      :model-value="amount"
      :min="field.least ?? undefined"
      :max="field.most ?? undefined"
      :max-fraction-digits="field.kind === 'count' ? 0 : 6"
      :aria-label="field.title"
      :allow-empty="field.nullable"
      :placeholder="field.nullable ? 'no limit' : ''"
      size="small"
      locale="en"
      @update:model-value="(n) => (value = n)"
    /><span class="unit">{{ field.unit }}</span></label
  >
  <ToggleSwitch
    v-else-if="field.kind === 'flag'"
    :model-value="Boolean(value)"
    :aria-label="field.title"
    @update:model-value="(on: boolean) => (value = on)"
  />
  <Select
    v-else-if="field.kind === 'choice'"
    class="box"
    :model-value="choice"
    :options="field.choices"
    option-label="words"
    option-value="value"
    :show-clear="field.nullable"
    placeholder="as the format has it"
    :aria-label="field.title"
    size="small"
    @update:model-value="(v) => (value = v)"
  />
  <textarea
    v-else-if="joints"
    :value="listed"
    rows="3"
    class="mono"
    :aria-label="field.title"
    placeholder="one a line: hips, pelvis < sway"
    @change="write(($event.target as HTMLTextAreaElement).value)"
  />
  <InputText
    v-else-if="field.kind === 'list'"
    class="box"
    :model-value="listed"
    :aria-label="field.title"
    placeholder="any"
    size="small"
    @change="write(($event.target as HTMLInputElement).value)"
  />
  <InputText
    v-else
    class="box"
    :model-value="String(value ?? '')"
    :aria-label="field.title"
    size="small"
    @change="value = ($event.target as HTMLInputElement).value"
  />
</template>

<style scoped>
.figure {
  position: relative;
  display: block;
}
.unit {
  position: absolute;
  right: 8px;
  top: 4px;
  font: 12px var(--hl-font-figure);
  color: var(--hl-ink-faded);
  pointer-events: none;
}
.figure :deep(.p-inputnumber),
.box {
  width: 100%;
}
.figure :deep(input),
.box {
  height: 24px;
  width: 100%;
  padding: 0 8px;
  border: 0;
  border-bottom: 1px solid var(--hl-rule-strong);
  border-radius: 0;
  background: var(--hl-paper);
  font: 12.5px var(--hl-font-figure);
}
.box :deep(.p-select-label) {
  padding: 2px 0;
  font-size: 12.5px;
}
textarea {
  width: 100%;
  border: 1px solid var(--hl-rule-strong);
  border-radius: var(--hl-r-control);
  background: var(--hl-paper);
  padding: 3px 6px;
  resize: vertical;
  font: 12.5px var(--hl-font-figure);
}
</style>
