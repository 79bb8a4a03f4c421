// The guide's pages, written in Markdown in docs/guide: the same text stands in the tree and in the app.
import { marked, type Tokens } from 'marked';

const files = import.meta.glob<string>('../../../docs/guide/*.md', { query: '?raw', import: 'default', eager: true });

/** A page of the guide. key: its address, '' for the first. */
export interface Page {
  key: string;
  title: string;
  html: string;
}

const keyOf = (path: string) =>
  path
    .replace(/^.*\//, '')
    .replace(/\.md$/, '')
    .replace(/^README$/, '');
const escaped = (text: string) => text.replace(/&/g, '&amp;').replace(/"/g, '&quot;').replace(/</g, '&lt;');

/** The address in the app of a link between pages; others lead to the tree and are not shown as links. */
export function address(href: string): string | null {
  const [file = '', part = ''] = href.split('#');
  return /^[\w-]+\.md$/.test(file) ? `/guide${keyOf(file) ? `/${keyOf(file)}` : ''}${part ? `#${part}` : ''}` : null;
}

const renderer = {
  link({ href, tokens }: Tokens.Link): string {
    const text = (this as unknown as { parser: { parseInline: (t: Tokens.Generic[]) => string } }).parser.parseInline(tokens);
    const to = address(href);
    return to ? `<a href="${escaped(to)}">${text}</a>` : text;
  },
};
marked.use({ renderer });

/** A page from its Markdown. */
export function page(path: string, text: string): Page {
  const title = /^# (.+)$/m.exec(text)?.[1] ?? keyOf(path);
  return { key: keyOf(path), title, html: marked.parse(text, { async: false }) };
}

export const pages: Map<string, Page> = new Map(Object.entries(files).map(([path, text]) => [keyOf(path), page(path, text)]));
