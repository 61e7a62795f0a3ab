import { create } from 'zustand';

const KEY = 'metronomo.singleKeys';

/** Whether shortcuts of a single character are on; off for speech input, which would trigger them (WCAG 2.2, 2.1.4). */
export const useSingleKeys = create<{ on: boolean }>(() => ({ on: localStorage.getItem(KEY) !== 'off' }));

export function setSingleKeys(on: boolean): void {
  localStorage.setItem(KEY, on ? 'on' : 'off');
  useSingleKeys.setState({ on });
}

/** What does something of its own with the space bar: it presses, ticks, opens or selects. */
const USES_SPACE = `a[href], button, input, select, textarea, summary, [contenteditable], [role=button], [role=tab],
  [role=option], [role=checkbox], [role=switch], [role=radio], [role=menuitem], [role=slider], [role=row],
  .react-flow__node, .react-flow__edge`;
/** What goes to its own start with Home. */
const USES_HOME = `input, select, textarea, [contenteditable], [role=tab], [role=option], [role=listbox], [role=radio],
  [role=menuitem], [role=slider], [role=row]`;

/** Whether the key belongs to what has focus. */
export function belongsToFocus(key: 'space' | 'home', focused: Element | null): boolean {
  return focused?.closest(key === 'space' ? USES_SPACE : USES_HOME) != null;
}
