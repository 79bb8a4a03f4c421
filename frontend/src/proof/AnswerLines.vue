<script setup lang="ts">
// What a destination answered: its verdict, its picture, and its log, of which each line leads to the finding that says the same.
import { computed } from 'vue';
import type { GateAnswer } from '../api/client';
import ResultMark from '../ui/ResultMark.vue';

const props = defineProps<{ answer: GateAnswer; by: string; picture: string | null; revision: number; size?: number }>();
const MARKS: Record<string, [string, string]> = {
  refused: ['stop', 'refused'],
  otherwise: ['caution', 'drawn otherwise'],
  'left-out': ['note', 'left out'],
  taken: ['clear', 'taken'],
};
const ORDER = Object.keys(MARKS);
const lines = computed(() => [...props.answer.lines].sort((a, b) => ORDER.indexOf(a.result) - ORDER.indexOf(b.result)));
const finding = (check: string) => `/bench/${props.revision}?check=${encodeURIComponent(check)}`;
</script>

<template>
  <div>
    <div class="answer">
      <img v-if="picture" :src="picture" alt="The model as it was received" :width="size ?? 150" :height="size ?? 150" />
      <div>
        <b class="verdict" :class="answer.accepted ? 'clear' : 'stop'" role="status">{{ answer.accepted ? 'Accepted' : 'Refused' }}</b>
        <p class="small faded">by {{ answer.destination }} of {{ by }}</p>
      </div>
    </div>
    <ul>
      <li v-for="l in lines" :key="l.says">
        <ResultMark :result="MARKS[l.result]![0]" :label="MARKS[l.result]![1]" :size="12" />
        <RouterLink v-if="l.check && l.result !== 'taken'" :to="finding(l.check)">{{ l.says }}</RouterLink><template v-else>{{
          l.says
        }}</template>
      </li>
    </ul>
  </div>
</template>

<style scoped>
.answer {
  display: flex;
  gap: 12px;
  align-items: center;
}
img {
  border: 1px solid var(--hl-rule);
  background: var(--hl-paper);
}
.verdict {
  font: 600 22px/1.1 var(--hl-font-display);
}
ul {
  margin: 6px 0 0;
  padding: 0;
  list-style: none;
  font-size: 13px;
}
li {
  padding: 2px 0;
}
li :deep(svg) {
  margin-right: 6px;
}
li a {
  color: var(--hl-ink);
}
</style>
