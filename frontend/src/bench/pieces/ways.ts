// The ways in that take the ledger's place: by how it looked, or by the tree; and which nodes are picked in it.
import { computed, ref, shallowRef, watch, type ComputedRef } from 'vue';
import { useQuery } from '@tanstack/vue-query';
import { useRoute, useRouter } from 'vue-router';
import { api, type TreeNode } from '../../api/client';
import type { Reading } from './reading';

export type Way = 'look' | 'tree' | null;
/** Nodes from one row to another, both included, of rows in the order in which they are seen. */
export function rangeOf(rows: readonly { node: number }[], from: number, to: number): number[] {
  const [a, b] = [rows.findIndex((r) => r.node === from), rows.findIndex((r) => r.node === to)];
  return a < 0 || b < 0 ? [to] : rows.slice(Math.min(a, b), Math.max(a, b) + 1).map((r) => r.node);
}
/** Some nodes with everything that hangs on them; rows stand parents first. */
export function withBelow(rows: readonly { node: number; parent: number }[], nodes: Iterable<number>): Set<number> {
  const out = new Set(nodes);
  for (const r of rows) if (out.has(r.parent)) out.add(r.node);
  return out;
}

export function useWays(revision: ComputedRef<number>, { bench }: Reading) {
  const route = useRoute();
  const router = useRouter();
  const way = computed<Way>({
    get: () => (route.query.way === 'look' || route.query.way === 'tree' ? route.query.way : null),
    set: (w) => void router.replace({ query: { ...route.query, way: w ?? undefined } }),
  });
  const inspection = computed(() => bench.value?.reading?.inspection ?? null);
  /** Whether somebody wants to choose from the names of the model, with the tree closed. */
  const listing = ref(false);
  const { data: tree, error: treeError } = useQuery({
    queryKey: computed(() => ['tree', inspection.value, bench.value?.intent, bench.value?.sheet]),
    queryFn: () => api.tree(inspection.value!),
    enabled: computed(() => (way.value === 'tree' || listing.value) && inspection.value !== null),
    staleTime: Infinity,
  });
  const nodes = computed<TreeNode[]>(() => tree.value?.nodes ?? []);
  /** Picked nodes: what mends of the tree are for, and what findings are listed of. */
  const picked = shallowRef<ReadonlySet<number>>(new Set());
  /** Nodes that are out of sight on the stage alone, and how the rest stands while some are picked. */
  const unseen = shallowRef<ReadonlySet<number>>(new Set());
  const rest = ref<'shown' | 'dimmed' | 'gone'>('shown');
  /** What was pointed at on the stage as looking wrong. */
  const pointedAt = shallowRef<{ node: number; face: number } | null>(null);
  watch([revision], () => {
    picked.value = new Set();
    unseen.value = new Set();
    pointedAt.value = null;
    rest.value = 'shown';
  });
  watch(way, (w) => {
    if (w !== 'tree') rest.value = 'shown';
    if (w !== 'look') pointedAt.value = null;
  });
  /** Parts: nodes that show a mesh. */
  const parts = computed(() => nodes.value.filter((n) => n.mesh !== null));
  return { way, listing, tree, treeError, nodes, parts, picked, unseen, rest, pointedAt };
}
export type Ways = ReturnType<typeof useWays>;
