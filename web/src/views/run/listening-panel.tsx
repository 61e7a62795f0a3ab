import { CLICK_SOUNDS, type ClickSound } from '@metronomo/core';
import { Slider } from 'radix-ui';
import { DEFAULT_LEVEL, useListening } from '../../audio/listening';
import { useTakeFlow } from '../../flow-effects/take-state';
import { askToHear } from '../../studio/hearing';
import { inputDesk } from '../../studio/input';
import { decimal } from '../../words/numbers';
import { changeRig } from '../../studio/rig';
import { useSession } from '../../studio/session';
import type { Follower } from '../../studio/use-followers';
import { BOATHOUSE_SOURCE } from '../../store/boathouse';
import { Button } from '../../parts/button';
import { Field, Select } from '../../parts/field';

/** Without returns through the page, only the click is played. */
const DIRECT_CLICK = -1;

/** A monitor mix of the hub click and the audio returns. */
export function ListeningPanel({ followers }: { followers: Follower[] }) {
  const on = useListening((state) => state.on);
  const sides = useListening((state) => state.sides);
  const input = useSession(({ rig }) => rig?.input);
  const sound = useSession(({ rig }) => rig?.song.click ?? 'wood block');
  const setSound = (click: ClickSound) => void changeRig((rig) => ({ ...rig, song: { ...rig.song, click } }));
  const throughPage = input?.sourceId === BOATHOUSE_SOURCE;
  const clickChannel = throughPage ? (input?.clickChannel ?? 0) : DIRECT_CLICK;
  const isOpen = useSession(({ input }) => input !== null) && !throughPage;
  const hears = useListening(({ input }) => input);
  const heard = followers.filter(({ gear }) => gear.returnChannel !== null && (throughPage || hears));
  return (
    <section aria-label="Monitor mix" className="ruled-l bg-raised p-4">
      <h2 className="text-lg font-bold">Monitor mix</h2>
      <p className="mb-3 text-xs text-soft">
        {hears
          ? heardWords(hears.roundTripMs)
          : throughPage
            ? 'Click and returns are delayed equally, so any flam you hear is real.'
            : 'Your gear plays through your own monitors. This controls the hub click only.'}
      </p>
      <Button className="mb-3" onClick={() => useListening.setState({ on: !on })}>
        {on ? 'Mute all' : 'Unmute'}
      </Button>
      {isOpen && <HearButton hears={hears !== null} />}
      <Level channel={clickChannel} name="Hub click" canSolo={false} />
      {heard.map(({ gear }) => (
        <Level key={gear.id} channel={gear.returnChannel ?? 0} name={gear.name} canSolo />
      ))}
      <div className="mt-3 grid grid-cols-[1.35fr_1fr] gap-2">
        <Field label="Click sound">
          {(id) => (
            <Select id={id} value={sound} onChange={({ target }) => setSound(target.value as ClickSound)}>
              {Object.keys(CLICK_SOUNDS).map((name) => (
                <option key={name}>{name}</option>
              ))}
            </Select>
          )}
        </Field>
        {(throughPage || hears) && (
          <Field label="Panning">
            {(id) => (
              <Select
                id={id}
                value={sides}
                onChange={({ target }) => useListening.setState({ sides: target.value as typeof sides })}
              >
                <option value="mixed">none</option>
                <option value="apart">click left</option>
              </Select>
            )}
          </Field>
        )}
      </div>
    </section>
  );
}

function HearButton({ hears }: { hears: boolean }) {
  const measuring = useTakeFlow(({ flow }) => flow.state !== 'idle');
  return (
    <Button
      className="mb-3 ml-2"
      disabled={measuring}
      onClick={() => (hears ? inputDesk.endHearing() : void askToHear())}
    >
      {hears ? 'Stop hearing inputs' : 'Hear inputs'}
    </Button>
  );
}

function heardWords(roundTripMs: number): string {
  const until = 'Live lateness pauses, and a take ends this.';
  return roundTripMs > 0
    ? `Inputs play through this page, and the click is ${decimal(roundTripMs, 1)} ms later, as they are, so any flam you hear is real. ${until}`
    : `Inputs play through this page, later than the click. To hear them in step, measure the audio round trip on the Bench first. ${until}`;
}

function Level({ channel, name, canSolo }: { channel: number; name: string; canSolo: boolean }) {
  const solo = useListening((state) => state.solo === channel);
  const level = useListening(({ levels }) => levels[channel] ?? DEFAULT_LEVEL);
  const set = (value: number) => useListening.setState(({ levels }) => ({ levels: { ...levels, [channel]: value } }));
  return (
    <div className="mb-2">
      <div className="flex justify-between text-sm">
        <span className="mr-auto">{name}</span>
        {canSolo && (
          <button
            type="button"
            aria-pressed={solo}
            className="mr-3 text-xs text-soft underline underline-offset-4 hover:text-ink aria-pressed:font-bold aria-pressed:text-ink"
            aria-label={`Solo ${name} against the click`}
            onClick={() => useListening.setState({ solo: solo ? null : channel })}
          >
            Solo
          </button>
        )}
        <button
          type="button"
          className="text-xs text-soft underline underline-offset-4 hover:text-ink"
          aria-label={`${level === 0 ? 'Unmute' : 'Mute'} ${name}`}
          onClick={() => set(level === 0 ? DEFAULT_LEVEL : 0)}
        >
          {level === 0 ? 'Unmute' : 'Mute'}
        </button>
      </div>
      <Slider.Root
        value={[level]}
        min={0}
        max={1}
        step={0.05}
        onValueChange={([value = 0]) => set(value)}
        className="relative flex h-[24px] items-center pointer-coarse:h-[44px]"
      >
        <Slider.Track className="relative h-px flex-1 bg-soft">
          <Slider.Range className="absolute h-[3px] -translate-y-px bg-audio" />
        </Slider.Track>
        <Slider.Thumb
          aria-label={`Level of ${name}`}
          className="flex size-[24px] items-center justify-center pointer-coarse:size-[44px]"
        >
          <span className="block h-5 w-2.5 border border-ink bg-raised" />
        </Slider.Thumb>
      </Slider.Root>
    </div>
  );
}
