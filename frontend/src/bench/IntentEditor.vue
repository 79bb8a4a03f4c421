<script setup lang="ts">
import Dialog from 'primevue/dialog';
import InputNumber from 'primevue/inputnumber';
import Select from 'primevue/select';
import { reactive, watch } from 'vue';
import type { Field, Intent } from '../api/client';

const props = defineProps<{ intent: Intent; fields: Field[]; sizes: Field[] }>();
const visible = defineModel<boolean>('visible', { required: true });
const emit = defineEmits<{ save: [Intent] }>();
const UNITS = [
  { name: 'metres', m: 1 },
  { name: 'centimetres', m: 0.01 },
  { name: 'millimetres', m: 0.001 },
  { name: 'inches', m: 0.0254 },
  { name: 'feet', m: 0.3048 },
];
const SIZES = ['height_m', 'width_m', 'depth_m'] as const;
type Size = (typeof SIZES)[number];
const field = (name: string) => props.fields.find((f) => f.name === name);
const options = (name: string) => field(name)?.choices ?? [];
const form = reactive({
  kind: null as Intent['kind'],
  own: null as Intent['unit'],
  unit: 1,
  height_m: null as number | null,
  width_m: null as number | null,
  depth_m: null as number | null,
  seen: 'outside' as Intent['seen_from'],
  pivot: null as string | null,
  copies: 1,
  nearest: null as number | null,
  screen: 1080,
  shadow: null as Intent['see_through_shadow'],
});

// Made when it is first opened, so it is open already.
watch(
  visible,
  (open) => {
    if (!open) return;
    const e = props.intent.expected ?? {};
    Object.assign(form, {
      kind: props.intent.kind ?? null,
      own: props.intent.unit ?? null,
      unit: 1,
      height_m: e.height_m ?? null,
      width_m: e.width_m ?? null,
      depth_m: e.depth_m ?? null,
      seen: props.intent.seen_from ?? 'outside',
      pivot: props.intent.pivot ?? null,
      copies: props.intent.copies ?? 1,
      nearest: props.intent.nearest_view_m ?? null,
      screen: props.intent.screen_px ?? 1080,
      shadow: props.intent.see_through_shadow ?? null,
    });
  },
  { immediate: true },
);
function changeUnit(m: number) {
  const f = form.unit / m;
  for (const k of SIZES) if (form[k] !== null) form[k] = Number((form[k]! * f).toPrecision(6));
  form.unit = m;
}
function save() {
  const m = (v: number | null) => (v === null || !(v > 0) ? null : Number((v * form.unit).toPrecision(9)));
  const expected = Object.fromEntries(SIZES.map((k) => [k, m(form[k])]).filter(([, v]) => v !== null));
  // What this sheet does not show, such as words on single parts, is kept as it was.
  emit('save', {
    ...props.intent,
    kind: form.kind,
    unit: form.own,
    expected,
    seen_from: form.seen,
    pivot: form.pivot,
    copies: form.copies || 1,
    nearest_view_m: form.nearest && form.nearest > 0 ? form.nearest : null,
    screen_px: form.screen || 1080,
    see_through_shadow: form.shadow,
  });
  visible.value = false;
}
</script>

<template>
  <Dialog v-model:visible="visible" modal header="What is it meant to be?" dismissable-mask>
    <form id="intent" class="form" @submit.prevent="save">
      <label id="l-kind" for="kind" :title="field('kind')?.help">{{ field('kind')?.title }}</label>
      <Select
        v-model="form.kind"
        input-id="kind"
        aria-labelledby="l-kind"
        :options="options('kind')"
        option-label="words"
        option-value="value"
        show-clear
        placeholder="not said"
        size="small"
      />
      <label id="l-own" for="own" :title="field('unit')?.help">{{ field('unit')?.title }}</label>
      <Select
        v-model="form.own"
        input-id="own"
        aria-labelledby="l-own"
        :options="options('unit')"
        option-label="words"
        option-value="value"
        show-clear
        placeholder="as the file says"
        size="small"
      />
      <span>Expected size</span>
      <div class="sizes">
        <label v-for="k in sizes" :key="k.name" :title="k.help">
          <InputNumber
            v-model="form[k.name as Size]"
            :min="0"
            :max="k.most ?? undefined"
            :max-fraction-digits="6"
            size="small"
            :input-style="{ width: '84px' }"
            :aria-label="`Expected size, ${k.title}`"
          />
          <span class="faded small">{{ k.title }}</span>
        </label>
        <Select
          :model-value="form.unit"
          :options="UNITS"
          option-label="name"
          option-value="m"
          size="small"
          aria-label="Unit of the expected size"
          @update:model-value="changeUnit"
        />
      </div>
      <label id="l-seen" for="seen" :title="field('seen_from')?.help">{{ field('seen_from')?.title }}</label>
      <Select
        v-model="form.seen"
        input-id="seen"
        aria-labelledby="l-seen"
        :options="options('seen_from')"
        option-label="words"
        option-value="value"
        size="small"
      />
      <label id="l-stands" for="stands" :title="field('pivot')?.help">{{ field('pivot')?.title }}</label>
      <Select
        v-model="form.pivot"
        input-id="stands"
        aria-labelledby="l-stands"
        :options="options('pivot')"
        option-label="words"
        option-value="value"
        show-clear
        placeholder="not said"
        size="small"
      />
      <label id="l-shadow" for="shadow" :title="field('see_through_shadow')?.help">{{ field('see_through_shadow')?.title }}</label>
      <Select
        v-model="form.shadow"
        input-id="shadow"
        aria-labelledby="l-shadow"
        :options="options('see_through_shadow')"
        option-label="words"
        option-value="value"
        show-clear
        placeholder="not said"
        size="small"
      />
      <label for="copies" :title="field('copies')?.help">{{ field('copies')?.title }}</label>
      <InputNumber
        v-model="form.copies"
        input-id="copies"
        :min="field('copies')?.least ?? 1"
        :max="field('copies')?.most ?? undefined"
        size="small"
        :input-style="{ width: '110px' }"
      />
      <label for="nearest" :title="field('nearest_view_m')?.help">{{ field('nearest_view_m')?.title }}</label>
      <div class="sizes">
        <InputNumber
          v-model="form.nearest"
          input-id="nearest"
          :min="0"
          :max="field('nearest_view_m')?.most ?? undefined"
          :max-fraction-digits="3"
          suffix=" m"
          placeholder="not said"
          size="small"
          :input-style="{ width: '110px' }"
        />
        <label for="screen" :title="field('screen_px')?.help">on a screen of</label>
        <InputNumber
          v-model="form.screen"
          input-id="screen"
          :min="field('screen_px')?.least ?? 64"
          :max="field('screen_px')?.most ?? undefined"
          suffix=" px"
          size="small"
          :input-style="{ width: '96px' }"
        />
      </div>
    </form>
    <p class="faded small">The checks follow this: a size is only wrong against what it should be.</p>
    <template #footer
      ><button class="btn" @click="visible = false">Leave as it was</button
      ><button class="btn main" type="submit" form="intent">Keep this</button></template
    >
  </Dialog>
</template>

<style scoped>
.form {
  display: grid;
  grid-template-columns: 140px 1fr;
  gap: 10px 14px;
  align-items: center;
  min-width: 520px;
  margin-bottom: 10px;
}
.form > :deep(.p-select) {
  width: 240px;
}
.sizes {
  display: flex;
  gap: 8px;
  align-items: flex-start;
}
.sizes label {
  display: flex;
  flex-direction: column;
}
.form > :deep(.p-inputnumber) {
  width: 110px;
}
</style>
