<script setup lang="ts">
import Dialog from 'primevue/dialog';
import ToggleSwitch from 'primevue/toggleswitch';
import { keySheet, setSingleKeys, singleKeys } from './keys';

const visible = defineModel<boolean>('visible', { required: true });
</script>

<template>
  <Dialog v-model:visible="visible" modal header="Keys" dismissable-mask>
    <div class="sheet">
      <section v-for="s in keySheet" :key="s.title">
        <h3>{{ s.title }}</h3>
        <dl>
          <div v-for="k in s.keys" :key="k.says">
            <dt>
              <kbd v-for="n in k.keys" :key="n">{{ n === ' ' ? 'Space' : n }}</kbd>
            </dt>
            <dd>{{ k.says }}</dd>
          </div>
        </dl>
      </section>
    </div>
    <label class="switch"><ToggleSwitch :model-value="singleKeys" @update:model-value="setSingleKeys" /> Single keys work</label>
    <p class="faded small">
      Outside the loupe the model as built, inside it as received. Nothing ever changes the files that you brought: mends lie on the tape
      and are played on a copy. <RouterLink to="/guide" @click="visible = false">The guide</RouterLink> says what each station looks for.
    </p>
  </Dialog>
</template>

<style scoped>
.sheet {
  columns: 2;
  column-gap: 28px;
}
section {
  break-inside: avoid;
  margin-bottom: 10px;
}
h3 {
  font: 600 15px var(--hl-font-display);
  margin-bottom: 4px;
}
dl {
  margin: 0;
}
dl div {
  display: flex;
  gap: 10px;
  padding: 2px 0;
}
dt {
  min-width: 84px;
  display: flex;
  gap: 4px;
  flex-wrap: wrap;
}
dd {
  margin: 0;
}
.switch {
  display: flex;
  gap: 8px;
  align-items: center;
  margin: 6px 0;
}
</style>
