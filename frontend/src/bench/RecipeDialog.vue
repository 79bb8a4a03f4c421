<script setup lang="ts">
// Recipes: a tape kept by name, and laid on another model.
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query';
import Dialog from 'primevue/dialog';
import InputText from 'primevue/inputtext';
import { ref } from 'vue';
import { api, type Recipe } from '../api/client';
import SureButton from '../ui/SureButton.vue';
import { recipeOf } from './recipe';
import { mendWords } from './words';
import { useBench } from './useBench';

const state = useBench('choices', 'changes', 'tape');
const visible = defineModel<boolean>('visible', { required: true });
const queries = useQueryClient();
const { data, error } = useQuery({ queryKey: ['recipes'], queryFn: api.recipes, enabled: visible });
const name = ref('');
/** A recipe as a file, which `mend --recipe` takes. */
const asFile = (r: Recipe) =>
  URL.createObjectURL(
    new Blob([JSON.stringify({ schema: 1, name: r.name, mends: r.slips.map(({ mend, params }) => ({ mend, params })) }, null, 2)], {
      type: 'application/json',
    }),
  );
function save(r: Recipe) {
  const link = document.createElement('a');
  link.href = asFile(r);
  link.download = `${r.name.replace(/[^\w-]+/g, '_')}.json`;
  link.click();
  URL.revokeObjectURL(link.href);
}
const picker = ref<HTMLInputElement>();
const bring = useMutation({
  mutationFn: async (file: File) => {
    const { name: called, slips } = recipeOf(await file.text(), file.name);
    return api.keepRecipe(called, slips);
  },
  onSettled: () => renew(),
});
function picked(event: Event) {
  const input = event.target as HTMLInputElement;
  if (input.files?.[0]) bring.mutate(input.files[0]);
  input.value = '';
}
const renew = () => queries.invalidateQueries({ queryKey: ['recipes'] });
const keep = useMutation({ mutationFn: () => api.keepRecipe(name.value.trim(), state.slips.value), onSettled: renew });
const remove = useMutation({ mutationFn: (r: Recipe) => api.dropRecipe(r.id), onSettled: renew });
const words = (r: Recipe) => r.slips.map((s) => mendWords(state.mendFacts(s.mend), s.mend, s.params)).join(', ');
function lay(r: Recipe) {
  state.lay.mutate([...state.slips.value, ...r.slips.filter((s) => !state.onTape(s.mend, s.params))]);
  visible.value = false;
}
</script>

<template>
  <Dialog v-model:visible="visible" modal header="Recipes" dismissable-mask>
    <p v-if="error" class="stop" role="alert">{{ error.message }}</p>
    <ul v-if="data?.recipes.length">
      <li v-for="r in data.recipes" :key="r.id">
        <div>
          <b>{{ r.name }}</b><span class="faded small">{{ words(r) }}</span>
        </div>
        <button class="btn" @click="lay(r)">Lay it on this model</button><button class="btn" @click="save(r)">Save as a file</button
        ><SureButton label="Throw away" asks="Really throw it away?" :name="r.name" @sure="remove.mutate(r)" />
      </li>
    </ul>
    <p v-else class="faded">No recipe is kept yet. Lay mends on the tape, then keep them here by a name.</p>
    <p class="bring">
      <button class="btn" @click="picker?.click()">Bring a recipe in …</button>
      <input ref="picker" type="file" accept=".json,application/json" hidden @change="picked" />
      <span class="faded small">also what <code>mend --json</code> wrote on the command line</span>
    </p>
    <p v-if="bring.error.value" class="stop" role="alert">{{ bring.error.value.message }}</p>
    <form class="keep" @submit.prevent="name.trim() && keep.mutate()">
      <label for="recipe-name">Keep this tape as</label
      ><InputText id="recipe-name" v-model="name" size="small" maxlength="80" autocomplete="off" />
      <button class="btn main" type="submit" :disabled="!name.trim() || !state.slips.value.length">Keep it</button>
    </form>
    <p v-if="keep.error.value" class="stop" role="alert">{{ keep.error.value.message }}</p>
  </Dialog>
</template>

<style scoped>
ul {
  list-style: none;
  margin: 0;
  padding: 0;
  min-width: 480px;
}
li {
  display: flex;
  gap: 8px;
  align-items: center;
  padding: 6px 0;
  border-bottom: 1px solid var(--hl-rule);
}
li div {
  flex: 1;
  display: flex;
  flex-direction: column;
}
.bring {
  margin-top: 10px;
  display: flex;
  gap: 8px;
  align-items: center;
}
.keep {
  display: flex;
  gap: 8px;
  align-items: center;
  margin-top: 12px;
}
</style>
