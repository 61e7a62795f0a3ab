import { useShallow } from 'zustand/react/shallow';
import { decimal } from '../../words/numbers';
import { Button } from '../../parts/button';
import { useSession } from '../../studio/session';
import { joinBySound, leaderHeardAt, runningClock, tapDownbeat } from '../../studio/transport';

/** How to join a clock that runs, but wasn't started. */
export function JoinRow() {
  const clock = useSession(
    useShallow(({ snapshot, rig, input }) => {
      const running = runningClock(snapshot, rig);
      if (!running || snapshot.willRoll) return null;
      const isHeard = leaderHeardAt(snapshot, rig, input !== null) !== null;
      return { name: running.name, bpm: decimal(running.bpm, 1), isHeard };
    }),
  );
  if (!clock) return null;
  return (
    <div role="status" className="ruled-b flex flex-wrap items-center gap-3 px-4 py-1.5 text-sm">
      <span>
        {clock.name} sends clock at {clock.bpm} BPM, but no start.
      </span>
      <Button onPointerDown={tapDownbeat} onClick={(event) => event.detail === 0 && tapDownbeat()} title="Press D">
        Start on my downbeat
      </Button>
      {clock.isHeard && (
        <Button onClick={() => void joinBySound()} title="The loudest hit of each bar is taken as its first beat">
          Find it by sound
        </Button>
      )}
      <span className="text-soft">Press it on the first beat of a bar. Everyone starts on the next one.</span>
    </div>
  );
}
