// What lies at a destination against what was sent there, by digests.
import type { components } from '../api/schema';

type Known = components['schemas']['KnownFiles'];
export interface Lying {
  path: string;
  state: 'same' | 'older' | 'changed' | 'missing' | 'foreign';
  number?: number;
}
/** What we lay beside a package ourselves. */
const OURS = 'handlens-manifest.json';
/** Bytes of all files that are looked at, unpacked. */
const MOST = 2 ** 31;

/** Paths and digests of picked files: of a folder from below it, of a zip from within it. */
export async function contentsOf(files: File[]): Promise<Map<string, string>> {
  const out = new Map<string, string>();
  const only = files.length === 1 ? files[0]! : null;
  if (only && only.name.toLowerCase().endsWith('.zip')) {
    const { unzipSync } = await import('three/examples/jsm/libs/fflate.module.js');
    let total = 0;
    const unpacked = unzipSync(new Uint8Array(await only.arrayBuffer()), {
      filter: (entry: { originalSize: number }) => {
        total += entry.originalSize;
        if (total > MOST) throw new Error('The zip unpacks to more than is looked at here; unpack it, and point at the folder.');
        return true;
      },
    });
    for (const [path, data] of Object.entries(unpacked))
      if (!path.endsWith('/')) out.set(path, await digest(data as Uint8Array<ArrayBuffer>));
  } else
    for (const file of files) {
      const path = (file.webkitRelativePath || '').split('/').slice(1).join('/') || file.name;
      out.set(path, await digest(new Uint8Array(await file.arrayBuffer())));
    }
  out.delete(OURS);
  return out;
}

async function digest(data: Uint8Array<ArrayBuffer>): Promise<string> {
  const bytes = new Uint8Array(await crypto.subtle.digest('SHA-256', data));
  return [...bytes].map((b) => b.toString(16).padStart(2, '0')).join('');
}

/** Every file that was sent or lies there, by its path. */
export function compared(there: Map<string, string>, known: Known): Lying[] {
  const out: Lying[] = known.files.map((file) => {
    const now = there.get(file.path);
    if (now === undefined) return { path: file.path, state: 'missing' };
    if (now === file.sha256) return { path: file.path, state: 'same' };
    const earlier = known.earlier.find((e) => e.sha256 === now && e.path === file.path) ?? known.earlier.find((e) => e.sha256 === now);
    return earlier ? { path: file.path, state: 'older', number: earlier.number } : { path: file.path, state: 'changed' };
  });
  const sent = new Set(known.files.map((f) => f.path));
  for (const path of there.keys()) if (!sent.has(path)) out.push({ path, state: 'foreign' });
  return out.sort((a, b) => a.path.localeCompare(b.path));
}
