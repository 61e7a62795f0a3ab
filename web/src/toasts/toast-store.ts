import { create } from 'zustand';

export interface ToastMessage {
  id: number;
  text: string;
  undo?: () => void;
}

/** Transient messages, with undo where there is one. */
export const useToasts = create<{ messages: ToastMessage[]; nextId: number }>(() => ({ messages: [], nextId: 1 }));

export function showToast(text: string, undo?: () => void): void {
  useToasts.setState(({ messages, nextId: id }) => ({
    messages: [...messages.slice(-2), undo ? { id, text, undo } : { id, text }],
    nextId: id + 1,
  }));
}

export function dismiss(id: number): void {
  useToasts.setState(({ messages }) => ({ messages: messages.filter((message) => message.id !== id) }));
}
