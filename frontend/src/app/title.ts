// What the browser's tab is called: the thing that is on the page first, since of twenty tabs one sees the beginning.
export const nameTab = (...what: string[]) => (document.title = [...what.filter(Boolean), 'Hand Lens'].join(' · '));
