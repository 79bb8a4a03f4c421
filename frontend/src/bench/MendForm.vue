<script setup lang="ts">
import Dialog from 'primevue/dialog';
import InputText from 'primevue/inputtext';
import MultiSelect from 'primevue/multiselect';
import Select from 'primevue/select';
import ToggleSwitch from 'primevue/toggleswitch';
import { computed, reactive, ref, watch } from 'vue';
import { api } from '../api/client';
import { useBench } from './useBench';
import { typedNumber } from './words';

/** mend: which one is wanted, the station's first where none is named. parts: keys of the parts that it is kept to. */
const props = defineProps<{ station: string; mend: string; parts: string[] }>();
const state = useBench('reading', 'choices', 'tape', 'ways');
/** Materials, joints and clips of the model by the names that mends know them by, for lists to choose from. */
const listed = computed<Record<string, string[]>>(() => {
  const { clips = [], materials = [] } = state.tree.value ?? {};
  const under = state.nodes.value.map((n) => n.key);
  const joint = state.nodes.value.filter((n) => n.joint).map((n) => n.key);
  return { under, materials, joint, clips, clip: clips };
});
const many = (p: { name: string; kind: string }) => p.kind === 'names' && !!listed.value[p.name]?.length;
const one = (p: { name: string; kind: string }) => p.kind === 'text' && !!listed.value[p.name]?.length;
const visible = defineModel<boolean>('visible', { required: true });
const mends = computed(() =>
  (state.catalogue.value?.mends ?? []).filter((m) => m.id.startsWith(`${props.station}.`) || m.id === props.mend),
);
const id = ref('');
const chosen = computed(() => mends.value.find((m) => m.id === id.value));
const parts = computed(() => (chosen.value?.parameters.some((p) => p.kind === 'parts') ? props.parts : []));
const form = reactive<Record<string, string | boolean | string[]>>({});
const changes = ref<{ old: string; new: string }[] | null>(null);
const trouble = ref('');

watch(visible, (open) => {
  if (open) state.listing.value = true;
  if (open) id.value = props.mend || (mends.value[0]?.id ?? '');
});
/** Whether the names of the model are there to choose from: no field changes its kind while somebody fills it in. */
const ready = ref(false);
watch([state.tree, state.treeError], ([tree, error]) => (ready.value ||= !!tree || !!error), { immediate: true });
watch([chosen, ready], ([m]) => {
  for (const k of Object.keys(form)) delete form[k];
  for (const p of m?.parameters ?? [])
    if (p.kind !== 'parts')
      form[p.name] =
        p.kind === 'flag'
          ? Boolean(p.default)
          : many(p)
            ? []
            : p.kind === 'choice'
              ? String(p.default ?? p.choices[0] ?? '')
              : Array.isArray(p.default)
                ? ''
                : String(p.default ?? '');
  trouble.value = '';
});
// A rename shows what it would do while it is being typed.
watch(
  () => [id.value, form.search, form.replace, form.pattern, form.start, props.parts],
  async () => {
    changes.value = null;
    trouble.value = '';
    const naming = id.value === 'arrival.name-by-pattern' && form.pattern;
    if (!naming && (id.value !== 'arrival.rename' || !form.search)) return;
    try {
      if (naming) {
        const wish = { pattern: String(form.pattern), start: Math.round(Number(form.start) || 0), parts: props.parts };
        changes.value = (await api.previewNaming(state.bench.value!.revision.id, wish)).changes;
        return;
      }
      changes.value = (
        await api.previewNames(state.bench.value!.revision.id, {
          search: String(form.search),
          replace: String(form.replace),
          pattern: Boolean(form.pattern),
        })
      ).changes;
    } catch (e) {
      trouble.value = (e as Error).message;
    }
  },
);
function put(only = false) {
  const m = chosen.value;
  if (!m) return;
  const params: Record<string, unknown> = {};
  for (const p of m.parameters) {
    const raw = form[p.name];
    if (p.kind === 'number') {
      const n = typedNumber(p.name, String(raw));
      const words = `${p.says[0]!.toUpperCase()}${p.says.slice(1)}`;
      if (!Number.isFinite(n)) return void (trouble.value = `${words}: type a number.`);
      if (n === 0 && !p.zero) return void (trouble.value = `${words}: type a number other than 0.`);
      params[p.name] = n;
    } else if (p.kind === 'parts') {
      if (p.default === null && !parts.value.length)
        return void (trouble.value = 'Choose the parts in a table first: tick them, then choose the mend below it.');
      params[p.name] = parts.value;
    } else params[p.name] = raw;
  }
  if (only) void state.trial.tryOut(m.id, params);
  else state.put(m.id, params);
  visible.value = false;
}
</script>

<template>
  <Dialog v-model:visible="visible" modal header="Put a mend on the tape" dismissable-mask>
    <form id="mend" class="form" @submit.prevent="put()">
      <label id="l-which" for="which">Mend</label>
      <Select
        v-model="id"
        input-id="which"
        aria-labelledby="l-which"
        :options="mends"
        option-label="title"
        option-value="id"
        size="small"
      />
      <template v-for="p in (ready ? (chosen?.parameters ?? []) : []).filter((x) => x.kind !== 'parts')" :key="p.name">
        <label :id="`l-${p.name}`" :for="`p-${p.name}`">{{ p.says }}</label>
        <Select
          v-if="p.kind === 'choice'"
          v-model="form[p.name]"
          :input-id="`p-${p.name}`"
          :aria-labelledby="`l-${p.name}`"
          :options="p.choices"
          size="small"
        />
        <Select
          v-else-if="one(p)"
          v-model="form[p.name]"
          :input-id="`p-${p.name}`"
          :aria-labelledby="`l-${p.name}`"
          :options="listed[p.name]"
          :filter="listed[p.name]!.length > 12"
          size="small"
        />
        <MultiSelect
          v-else-if="many(p)"
          v-model="form[p.name]"
          :input-id="`p-${p.name}`"
          :aria-labelledby="`l-${p.name}`"
          :options="listed[p.name]"
          :placeholder="p.default === null ? 'choose' : 'all'"
          size="small"
        />
        <ToggleSwitch v-else-if="p.kind === 'flag'" v-model="form[p.name] as boolean" :input-id="`p-${p.name}`" />
        <InputText
          v-else
          :id="`p-${p.name}`"
          v-model="form[p.name] as string"
          size="small"
          :inputmode="p.kind === 'number' ? 'decimal' : 'text'"
          autocomplete="off"
        />
      </template>
    </form>
    <p v-if="!ready" class="faded small" role="status">Reading the names of the model …</p>
    <p v-if="parts.length" class="small">For {{ parts.length === 1 ? parts[0] : `${parts.length} chosen parts` }} alone.</p>
    <p v-if="trouble" class="stop" role="alert">{{ trouble }}</p>
    <div v-if="changes" class="names" aria-live="polite">
      <p class="faded small">
        {{ changes.length ? `${changes.length} ${changes.length === 1 ? 'name changes' : 'names change'}` : 'No name holds that.' }}
      </p>
      <table v-if="changes.length" class="mono small">
        <thead>
          <tr>
            <th>before</th>
            <th>after</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="(c, k) in changes.slice(0, 200)" :key="k">
            <td>{{ c.old }}</td>
            <td>
              <b>{{ c.new || '(no name)' }}</b>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
    <p v-if="chosen" class="small about">
      {{ chosen.does }} <span class="faded">Keeps {{ chosen.keeps }}. Costs {{ chosen.costs }}.</span>
    </p>
    <template #footer
      ><button class="btn" @click="visible = false">Leave it</button
      ><button class="btn" :disabled="!chosen || !ready" @click="put(true)">Try it</button
      ><button class="btn main" type="submit" form="mend" :disabled="!chosen || !ready">Put on the tape</button></template
    >
  </Dialog>
</template>

<style scoped>
.form {
  display: grid;
  grid-template-columns: 200px 1fr;
  gap: 8px 14px;
  align-items: center;
  min-width: 480px;
}
.names {
  max-height: 160px;
  overflow: auto;
  border-top: 1px solid var(--hl-rule);
  margin-top: 8px;
}
table {
  width: 100%;
  border-collapse: collapse;
}
th {
  text-align: left;
  font-weight: 400;
  color: var(--hl-ink-faded);
}
td {
  border-top: 1px solid #eae2d2;
  overflow-wrap: anywhere;
}
.about {
  margin-top: 10px;
  max-width: 560px;
}
</style>
