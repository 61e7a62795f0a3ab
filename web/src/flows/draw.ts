import type { AnyStateMachine, AnyStateNode, AnyTransitionDefinition } from 'xstate';

/** A machine as a Mermaid state diagram: states with their effects, and what leads from one to the next. */
export function drawMachine(machine: AnyStateMachine): string {
  return ['stateDiagram-v2', ...drawStates(machine.root, '  ')].join('\n');
}

function drawStates(parent: AnyStateNode, indent: string): string[] {
  const states = Object.values(parent.states);
  const { initial } = parent.config;
  const lines = typeof initial === 'string' ? [`${indent}[*] --> ${initial}`] : [];
  for (const state of states) {
    const effects = state.invoke.map(({ src }) => String(src));
    if (effects.length > 0) lines.push(`${indent}${state.key}: ${state.key} (${effects.join(', ')})`);
    if (Object.keys(state.states).length > 0)
      lines.push(`${indent}state ${state.key} {`, ...drawStates(state, `${indent}  `), `${indent}}`);
    for (const transition of [...state.transitions.values()].flat())
      lines.push(...drawTransition(state, transition, indent));
    if (state.type === 'final') lines.push(`${indent}${state.key} --> [*]`);
  }
  return lines;
}

function drawTransition(state: AnyStateNode, transition: AnyTransitionDefinition, indent: string): string[] {
  const { target, guard, actions, eventType } = transition;
  const acts = actions.map(nameOf).filter((name) => !/^(keep|note|count|next)/.test(name));
  const label = [
    wordsFor(eventType, state),
    guard === undefined ? '' : ` [${nameOf(guard)}]`,
    acts.length > 0 ? ` / ${acts.join(', ')}` : '',
  ].join('');
  return (target ?? [state]).map((to: AnyStateNode) => `${indent}${state.key} --> ${to.key}: ${label}`);
}

function wordsFor(eventType: string, { invoke }: AnyStateNode): string {
  const [effect = ''] = invoke.map(({ src }) => String(src));
  if (eventType.startsWith('xstate.done.')) return `${effect} done`;
  if (eventType.startsWith('xstate.error.')) return `${effect} failed`;
  const delay = /^xstate\.after\.([^.]+)\./.exec(eventType)?.[1];
  return delay ?? eventType;
}

function nameOf(one: unknown): string {
  return typeof one === 'string' ? one : ((one as { type?: string }).type ?? 'unnamed');
}
