import { ChoiceField } from '../../parts/field';

const CHANNELS = Array.from({ length: 16 }, (_, i) => [i + 1, String(i + 1)] as const);

/** One of the sixteen MIDI channels. */
export function ChannelField(props: {
  label: string;
  hint: string;
  value: number;
  onChoose: (channel: number) => void;
}) {
  return <ChoiceField options={CHANNELS} {...props} />;
}
