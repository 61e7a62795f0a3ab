import { findClick, measureRoundTrip, useSetUp, type Tried } from '../../flow-effects/set-up-flow';
import { Button } from '../../parts/button';
import { useCalibration } from '../bench/round-trip';
import { TakeProgressBar } from '../bench/take-progress';
import type { Rig } from '../../store/records';
import { changeRig } from '../../studio/rig';
import { useSession } from '../../studio/session';
import { decimal, whole } from '../../words/numbers';
import { StepFrame } from './step-frame';

/** The input that hears the hub's click, and the audio round trip. */
export function ClickStep({ rig, onBack, onDone }: { rig: Rig; onBack: () => void; onDone: () => void }) {
  const click = useSetUp(({ click }) => click);
  const input = useSession(({ input }) => input);
  const calibration = useCalibration();
  const busy = click === 'listening' || click === 'measuring';
  const find = async () => {
    const channel = await findClick();
    if (channel === null) return;
    if (channel !== rig.input.clickChannel)
      await changeRig((before) => ({ ...before, input: { ...before.input, clickChannel: channel } }));
    await measureRoundTrip(channel);
  };
  const found = typeof click === 'object' || (click === 'measuring' && calibration !== undefined);
  return (
    <StepFrame
      above="Hub click"
      title="Which input hears the click?"
      says="The hub plays eight clicks through your audio output. Run a cable from an output to a free input, or put a mic at the speaker. Recorded beside your gear, the click cancels out your audio latency."
      ways={
        <>
          <Button onClick={onBack}>Back</Button>
          <Button tone={found ? 'plain' : 'strong'} disabled={busy || !input} onClick={() => void find()}>
            {found ? 'Play the click again' : 'Play the click'}
          </Button>
          <Button tone={found ? 'strong' : 'plain'} disabled={busy} onClick={onDone}>
            {found ? 'Continue' : 'Skip'}
          </Button>
        </>
      }
      help={found ? undefined : 'Not heard? Turn the output up, and check the cable and the gain of the input.'}
    >
      {!input && <p className="text-attention">No audio input is open. Go back to open one, or skip this step.</p>}
      <p role="status" className="font-bold">
        {clickText(click)}
      </p>
      {click === 'measuring' && <TakeProgressBar />}
      {typeof click === 'object' && calibration && (
        <p>
          Audio round trip: <b>{decimal(calibration.roundTripMs, 1)} ms</b>,{' '}
          {whole((calibration.roundTripMs * calibration.sampleRate) / 1000)} samples.
        </p>
      )}
    </StepFrame>
  );
}

function clickText(click: 'unknown' | 'listening' | 'measuring' | Tried): string {
  switch (click) {
    case 'unknown':
      return '';
    case 'listening':
      return 'Listening on every input…';
    case 'measuring':
      return 'Heard. Measuring the audio round trip, four bars…';
    case 'nothing':
      return 'No input heard the click.';
    default:
      return `Input ${click.channel + 1} heard ${click.heard} of ${click.of} clicks${click.sure ? '' : '; another input is almost as loud'}.`;
  }
}
