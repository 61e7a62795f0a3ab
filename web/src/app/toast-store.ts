import { create } from 'zustand';

export interface ToastMessage {
  id: number;
  text: string;
  undo?: () => void;
}

/** Transient messages, with undo where there is one. */
export const useToasts = create<{ messages: ToastMessage[] }>(() => ({ messages: [] }));

let nextId = 1;

export function showToast(text: string, undo?: () => void): void {
  const message: ToastMessage = undo ? { id: nextId++, text, undo } : { id: nextId++, text };
  useToasts.setState(({ messages }) => ({ messages: [...messages.slice(-2), message] }));
}

export function dismiss(id: number): void {
  useToasts.setState(({ messages }) => ({ messages: messages.filter((message) => message.id !== id) }));
}
