import type { TriggerMessage } from '@metronomo/core';
import { X } from 'lucide-react';
import { Button } from '../../parts/button';
import type { Trigger } from '../../store/records';
import { NumberInput } from '../../parts/number-input';

const MAX_MESSAGES = 16;
const WORDS = { atStart: 'On start', atStop: 'On stop' } as const;

/** The messages that a trigger sends as its device starts or stops. */
export function EdgeMessages({
  name,
  edge,
  trigger,
  onChange,
}: {
  name: string;
  edge: 'atStart' | 'atStop';
  trigger: Trigger;
  onChange: (next: Trigger) => void;
}) {
  const messages = [trigger[edge] ?? []].flat();
  const set = (next: TriggerMessage[]) => onChange({ ...trigger, [edge]: next });
  const { channel } = trigger.sends;
  return (
    <fieldset className="flex flex-wrap items-center gap-2">
      <legend className="sr-only">
        {name}: {WORDS[edge]}
      </legend>
      {WORDS[edge]}
      {messages.map((message, i) => {
        const title = `${name}, ${WORDS[edge].toLowerCase()} ${i + 1}`;
        const change = (to: TriggerMessage) => set(messages.map((one, k) => (k === i ? to : one)));
        return (
          <span key={i} className="inline-flex items-center gap-1 border border-rule px-1 py-0.5">
            <select
              aria-label={`${title}: message`}
              value={message.kind}
              className="border-r border-rule"
              onChange={({ target }) => change(fresh(target.value, message.channel))}
            >
              <option value="controller">CC</option>
              <option value="note">note</option>
              <option value="program">program</option>
            </select>
            {numbersOf(message).map(([key, value]) => (
              <NumberInput
                key={key}
                name={`${title}: ${key}`}
                value={value}
                least={key === 'channel' ? 1 : 0}
                most={key === 'channel' ? 16 : 127}
                onSave={(to) => change({ ...message, [key]: to })}
              />
            ))}
            <Button
              tone="quiet"
              className="!px-1 !py-0"
              aria-label={`Remove ${title}`}
              onClick={() => set(messages.filter((_, k) => k !== i))}
            >
              <X size={12} aria-hidden />
            </Button>
          </span>
        );
      })}
      <Button
        tone="quiet"
        className="!px-1 !py-0"
        disabled={messages.length >= MAX_MESSAGES}
        aria-label={`${name}: add message ${WORDS[edge].toLowerCase()}`}
        onClick={() => set([...messages, { ...fresh('controller', channel), ...(edge === 'atStop' && { value: 0 }) }])}
      >
        Add message
      </Button>
    </fieldset>
  );
}

function fresh(kind: string, channel: number): TriggerMessage {
  if (kind === 'note') return { kind, channel, note: 60, velocity: 100 };
  if (kind === 'program') return { kind, channel, program: 0 };
  return { kind: 'controller', channel, controller: 20, value: 127 };
}

function numbersOf(message: TriggerMessage): [string, number][] {
  return Object.entries(message).filter((entry): entry is [string, number] => typeof entry[1] === 'number');
}
