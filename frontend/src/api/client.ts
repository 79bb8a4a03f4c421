// Calls to the server. Every failure becomes an Error with the server's own sentence.
import type { components } from './schema';

type S = components['schemas'];
export type Shelf = S['Shelf'];
export type ShelfModel = S['ShelfModel'];
export type Bench = S['Bench'];
export type Picture = S['Picture'];
export type Station = S['Station'];
export type Table = S['Table'];
export type Finding = S['Finding'];
export type Slip = S['Slip'];
export type TapeSlip = S['TapeSlip'];
export type Export = S['Export'];
export type GateAnswer = S['GateAnswer'];
export type ProofRow = S['ProofRow'];
export type Job = S['Job'];
export type Catalogue = S['Catalogue'];
export type MendFacts = S['MendFacts'];
export type CheckFacts = S['CheckFacts'];
export type SheetFacts = S['SheetFacts'];
export type SheetPage = S['SheetPage'];
export type SheetValue = S['SheetValue'];
export type Intent = S['Intent'];
export type Field = S['Field'];
export type Counts = S['Counts'];
export type Recipe = S['Recipe'];
export type Trial = S['Trial'];
export type Comparison = S['Comparison'];
export type TreeNode = S['TreeNode'];
export type PartIntent = S['PartIntent'];
export type WayToFit = S['WayToFit'];
export type WaySlip = S['WaySlip'];
export type WayCost = S['WayCost'];
export type AskedQuestion = S['AskedQuestion'];
export type Batch = S['Batch'];
export type BatchPage = S['BatchPage'];
export type BatchModel = S['BatchModel'];
export type BatchVerdict = S['BatchVerdict'];
export type Trouble = S['Trouble'];
export type Laying = S['Laying'];
/** What the Shelf is asked for; what is left out is as if nothing were wished. */
export interface ShelfAsked {
  search?: string;
  show?: string;
  sheet?: string;
  folder?: string;
  tag?: string;
  age?: string;
  sort?: string;
}
export interface TrialWish {
  kind: 'way' | 'recipe' | 'mend';
  name?: string;
  slips?: Slip[];
  check?: string;
  mend?: string;
  models?: number[] | null;
}

export async function sentence(answer: Response): Promise<Error> {
  try {
    const problem = (await answer.json()) as { detail?: string };
    if (problem.detail) return new Error(problem.detail);
  } catch {
    /* not JSON: the status must do */
  }
  return new Error(`The server answered ${answer.status}. Try again; if it goes on, start Hand Lens anew.`);
}

async function call<T>(method: string, path: string, body?: unknown): Promise<T> {
  let answer: Response;
  try {
    answer = await fetch(`/api${path}`, {
      method,
      ...(body === undefined ? {} : { headers: { 'Content-Type': 'application/json' }, body: JSON.stringify(body) }),
    });
  } catch {
    throw new Error('Hand Lens does not answer. Is it still running?');
  }
  if (!answer.ok) throw await sentence(answer);
  return (answer.status === 204 ? undefined : await answer.json()) as T;
}

async function bytes(path: string): Promise<ArrayBuffer> {
  const answer = await fetch(`/api${path}`);
  if (!answer.ok) throw await sentence(answer);
  return answer.arrayBuffer();
}

/** A query with what is said; what is empty is left out. */
const query = (of: Record<string, string | undefined>) =>
  new URLSearchParams(Object.entries(of).filter((pair): pair is [string, string] => !!pair[1]));

export const api = {
  shelf: (asked: ShelfAsked = {}, first = 0) => call<Shelf>('GET', `/shelf?${query({ ...asked, first: String(first) })}`),
  chosen: (asked: ShelfAsked) => call<{ models: number[] }>('GET', `/shelf/chosen?${query({ ...asked })}`),
  many: (models: number[], act: S['ManyWish']['act'], value = '') =>
    call<{ models: number[] }>('POST', '/models/many', { models, act, value }),
  batches: () => call<{ batches: Batch[] }>('GET', '/batches'),
  batch: (id: number, asked: { show: string; sort: string; search: string }, first: number) =>
    call<BatchPage>('GET', `/batches/${id}?${query({ ...asked, first: String(first) })}`),
  beginBatch: (wish: { name: string; sheet: string; models: number[]; bench_too: boolean }) => call<Batch>('POST', '/batches', wish),
  steerBatch: (id: number, how: 'pause' | 'go-on' | 'stop' | 'again') => call<Batch>('POST', `/batches/${id}/${how}`),
  removeBatch: (id: number) => call<void>('DELETE', `/batches/${id}`),
  tryOnAll: (id: number, wish: TrialWish) => call<Batch>('POST', `/batches/${id}/try`, wish),
  keepTried: (id: number, models: number[] | null) => call<Laying>('PUT', `/batches/${id}/tried`, { models }),
  forgetTried: (id: number) => call<void>('DELETE', `/batches/${id}/tried`),
  takeBack: (id: number) => call<Laying>('POST', `/batches/${id}/take-back`),
  exportAll: (id: number, wish: { format: string; whole: boolean; models: number[] | null }) =>
    call<Batch>('POST', `/batches/${id}/exports`, wish),
  troublesOf: (id: number) => call<{ troubles: Trouble[] }>('GET', `/batches/${id}/troubles`),
  cellOf: (id: number, model: number, station: string) =>
    call<S['CellFindings']>('GET', `/batches/${id}/cell?${query({ model: String(model), station })}`),
  catalogue: () => call<Catalogue>('GET', '/catalogue'),
  checks: () => call<CheckFacts[]>('GET', '/catalogue/checks'),
  changeModel: (id: number, change: { name?: string; sheet?: string; intent?: Intent; intent_seen?: Intent }) =>
    call<void>('PATCH', `/models/${id}`, change),
  removeModel: (id: number) => call<void>('DELETE', `/models/${id}`),
  waive: (model: number, finding: string, reason: string, by: string) =>
    call<void>('PUT', `/models/${model}/waivers`, { finding, reason, by }),
  unwaive: (model: number, finding: string) => call<void>('DELETE', `/models/${model}/waivers?finding=${encodeURIComponent(finding)}`),
  recipes: () => call<{ recipes: Recipe[] }>('GET', '/recipes'),
  keepRecipe: (name: string, slips: Slip[]) => call<Recipe>('POST', '/recipes', { name, slips }),
  dropRecipe: (id: number) => call<void>('DELETE', `/recipes/${id}`),
  bench: (revision: number) => call<Bench>('GET', `/revisions/${revision}/bench`),
  lostImages: (revision: number) => call<S['LostImages']>('GET', `/revisions/${revision}/lost-images`),
  lookForImages: (revision: number) => call<S['Looked']>('POST', `/revisions/${revision}/lost-images/look`),
  layTape: (revision: number, slips: Slip[], version: number | null) =>
    call<Bench>('PUT', `/revisions/${revision}/tape`, { slips, version }),
  tryOut: (revision: number, slips: Slip[]) => call<Trial>('POST', `/revisions/${revision}/try`, { slips }),
  undo: (revision: number, version: number | null) => call<Bench>('POST', `/revisions/${revision}/tape/undo`, { version }),
  redo: (revision: number, version: number | null) => call<Bench>('POST', `/revisions/${revision}/tape/redo`, { version }),
  readAgain: (revision: number) => call<Bench>('POST', `/revisions/${revision}/read-again`),
  previewNames: (revision: number, wish: { search: string; replace: string; pattern: boolean }) =>
    call<{ changes: { old: string; new: string }[] }>('POST', `/revisions/${revision}/rename-preview`, wish),
  previewNaming: (revision: number, wish: { pattern: string; start: number; parts: string[] }) =>
    call<{ changes: { old: string; new: string }[] }>('POST', `/revisions/${revision}/naming-preview`, wish),
  stage: (inspection: number, content?: number) => bytes(`/inspections/${inspection}/stage${content ? `?content=${content}` : ''}`),
  marks: async (inspection: number, finding: string) =>
    new Float32Array(await bytes(`/inspections/${inspection}/marks?finding=${encodeURIComponent(finding)}`)),
  /** of: `finding=ID` or `node=NUMBER`. */
  sides: (inspection: number, of: string) => call<S['Sides']>('GET', `/inspections/${inspection}/sides?${of}`),
  pull: (inspection: number, joint: number, [x, y, z, w]: number[]) =>
    call<S['Pull']>('GET', `/inspections/${inspection}/pull?joint=${joint}&x=${x}&y=${y}&z=${z}&w=${w}`),
  receiverLog: (inspection: number, sheet: string) =>
    call<S['ReceiverLog']>('GET', `/inspections/${inspection}/receiver?sheet=${encodeURIComponent(sheet)}`),
  compare: (later: number, earlier: number) => call<Comparison>('POST', `/revisions/${later}/compare`, { earlier }),
  causes: (inspection: number, asked: { symptom?: string; node?: number; face?: number }) => {
    const told = Object.entries(asked).flatMap(([k, v]) => (v === undefined ? [] : [[k, String(v)]]));
    return call<S['Answer']>('GET', `/inspections/${inspection}/causes?${new URLSearchParams(told)}`);
  },
  curve: (inspection: number, parts: string[], again = false) =>
    call<S['Curve']>('POST', `/inspections/${inspection}/curve`, { parts, again }),
  tree: (inspection: number) => call<S['Tree']>('GET', `/inspections/${inspection}/tree`),
  watches: () => call<S['Watches']>('GET', '/watches'),
  watchFolder: (path: string, batch: boolean) => call<S['Watch']>('POST', '/watches', { path, batch }),
  watchNoMore: (id: number) => call<void>('DELETE', `/watches/${id}`),
  elements: async (inspection: number, finding: string) =>
    new Int32Array(await bytes(`/inspections/${inspection}/elements?finding=${encodeURIComponent(finding)}`)),
  beginExport: (revision: number, format: string, options: Record<string, unknown> = {}, whole = false, branch = true) =>
    call<Export>('POST', `/revisions/${revision}/exports`, { format, options, whole, branch }),
  send: (id: number, sheet: string, variant: string) => call<S['Sending']>('POST', `/exports/${id}/sendings`, { sheet, variant }),
  asking: (inspection: number, format: string, options: Record<string, unknown>, begin: boolean) =>
    call<S['Asking']>('POST', `/inspections/${inspection}/asking`, { format, options, begin }),
  questions: (inspection: number) => call<S['Questions']>('GET', `/inspections/${inspection}/questions`),
  way: (inspection: number, wish: { sheets: string[]; goal: string; prefer: Record<string, string>; begin: boolean }) =>
    call<S['Way']>('POST', `/inspections/${inspection}/way`, wish),
  wayRules: () => call<S['WayRules']>('GET', '/way-rules'),
  rememberWay: (check: string, mend: string) => call<void>('PUT', '/way-rules', { check, mend }),
  forgetWay: (check: string) => call<void>('DELETE', `/way-rules/${encodeURIComponent(check)}`),
  keepBranches: (revision: number, branches: Record<string, { mend: string; params: Record<string, unknown> }[]>) =>
    call<void>('PUT', `/revisions/${revision}/branches`, { branches }),
  handoff: (revision: number) => call<S['Handoff']>('GET', `/revisions/${revision}/handoff`),
  knownFiles: (id: number) => call<S['KnownFiles']>('GET', `/exports/${id}/known`),
  namesMet: (revision: number, of: 'all' | 'materials', pattern: string) =>
    call<S['NamesMet']>('POST', `/revisions/${revision}/names-met`, { of, pattern }),
  sheets: () => call<S['Sheets']>('GET', '/sheets'),
  sheet: (slug: string) => call<SheetPage>('GET', `/sheets/${slug}`),
  beginSheet: (inherits: string, name: string, changes: object, note: string) =>
    call<SheetPage>('POST', '/sheets', { inherits, name, changes, note }),
  bringSheetIn: (text: string) => call<SheetPage>('POST', '/sheets/bring-in', { text }),
  learnSheet: (fit: number[], unfit: number[], beside: string) => call<S['SheetLesson']>('POST', '/sheets/learn', { fit, unfit, beside }),
  keepSheet: (slug: string, seen: number, changes: object, note: string) =>
    call<SheetPage>('PUT', `/sheets/${slug}`, { seen, changes, note }),
  trySheet: (slug: string, changes: object, first = 0) => call<S['SheetEffect']>('POST', `/sheets/${slug}/try`, { changes, first }),
  removeSheet: (slug: string) => call<void>('DELETE', `/sheets/${slug}`),
  export: (id: number) => call<Export>('GET', `/exports/${id}`),
  readBack: (id: number) => bytes(`/exports/${id}/stage`),
  stopJob: (id: number) => call<Job>('POST', `/jobs/${id}/stop`),
  tryJobAgain: (id: number) => call<Job>('POST', `/jobs/${id}/again`),
  beginDrop: (model: number | null) => call<{ id: number }>('POST', '/drops', { model }),
  closeDrop: (id: number) => call<Job>('POST', `/drops/${id}/close`),
  giveUpDrop: (id: number) => call<void>('DELETE', `/drops/${id}`),
};
