// Intake: from dropped things to a list of files with paths, and then one by one to the server.
import { computed, reactive } from 'vue';
import { api } from '../api/client';
import { sendFile } from '../api/upload';

export interface Incoming {
  path: string;
  file: File;
}

const NOISE = /(^|\/)(__MACOSX\/|\.DS_Store$|Thumbs\.db$|desktop\.ini$|\._[^/]*$)/;

async function walk(entry: FileSystemEntry, into: Incoming[], above = ''): Promise<void> {
  const path = above + entry.name;
  if (entry.isFile) {
    const file = await new Promise<File>((done, fail) => (entry as FileSystemFileEntry).file(done, fail));
    into.push({ path, file });
    return;
  }
  const reader = (entry as FileSystemDirectoryEntry).createReader();
  for (;;) {
    const some = await new Promise<FileSystemEntry[]>((done, fail) => reader.readEntries(done, fail));
    if (!some.length) return;
    for (const e of some) await walk(e, into, `${path}/`);
  }
}

/** Files of a drop, folders walked through. */
export async function filesOfDrop(data: DataTransfer): Promise<Incoming[]> {
  const entries = [...data.items].map((i) => i.webkitGetAsEntry()).filter((e): e is FileSystemEntry => !!e);
  const out: Incoming[] = [];
  if (entries.length) for (const e of entries) await walk(e, out);
  else for (const f of data.files) out.push({ path: f.name, file: f });
  return out.filter((f) => !NOISE.test(f.path));
}

/** Files of a chooser; folders keep their paths. */
export const filesOfList = (list: FileList): Incoming[] =>
  [...list].map((file) => ({ path: file.webkitRelativePath || file.name, file })).filter((f) => !NOISE.test(f.path));

const state = reactive({ busy: false, sent: 0, total: 0, name: '', error: '', behind: 0 });
let stop: AbortController | null = null;
let last: Promise<void> = Promise.resolve();

export function useIntake() {
  /** Sends files once those before have gone out; what is dropped meanwhile waits its turn. */
  function send(files: Incoming[], model: number | null = null): Promise<void> {
    if (state.busy) state.behind++;
    const waited = state.busy;
    last = last.then(() => {
      if (waited) state.behind--;
      // What went wrong with those before is still to be read.
      return sendNow(files, model, waited);
    });
    return last;
  }
  async function sendNow(files: Incoming[], model: number | null, keep: boolean) {
    if (!keep) state.error = '';
    if (!files.length) return void (state.error = 'Nothing was dropped that can be read; drop a model file with its textures.');
    const empty = files.find((f) => f.file.size === 0);
    if (empty && files.length === 1) return void (state.error = `${empty.file.name} is empty (0 bytes); export it again.`);
    Object.assign(state, { busy: true, sent: 0, total: files.reduce((s, f) => s + f.file.size, 0), name: files[0]!.file.name });
    stop = new AbortController();
    let drop: number | null = null;
    try {
      drop = (await api.beginDrop(model)).id;
      let before = 0;
      for (const f of files) {
        state.name = f.file.name;
        await sendFile(drop, f.path, f.file, (bytes) => (state.sent = before + bytes), stop.signal);
        state.sent = before += f.file.size;
      }
      await api.closeDrop(drop);
    } catch (e) {
      if (drop !== null) void api.giveUpDrop(drop).catch(() => undefined);
      if ((e as Error).name !== 'AbortError') state.error = (e as Error).message;
    } finally {
      state.busy = false;
    }
  }
  return {
    state,
    share: computed(() => (state.total ? state.sent / state.total : 0)),
    send,
    cancel: () => stop?.abort(),
    dismiss: () => (state.error = ''),
  };
}
