/** Kept from being collected as long as the worker lives. */
const held = new Set<MessagePort>();

/** For the worker's side of a link: the window's end of this port is closed the moment the worker ends. */
export function holdLifeline(port: MessagePort): void {
  held.add(port);
}
