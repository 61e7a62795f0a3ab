import fc from 'fast-check';
import { plannedLeader } from '../rig/plan-wires';
import { HUB_ID } from '../rig/rig';
import type { Evening } from './evening';
import { cableInto, gearChange, origin, song, studio } from './studio-arbitrary';

/** What the musician and the world have done so far, as far as it limits what can come next. */
interface Doings {
  off: Set<string>;
}

interface Act {
  name: string;
  act: (evening: Evening) => void;
  /** It only makes sense while something is on, or off. */
  turns?: { off: string } | { on: string };
}

/** Something happens, and the studio runs on for a while. */
class Happening implements fc.Command<Doings, Evening> {
  readonly #act: Act;
  readonly #waitMs: number;

  constructor(act: Act, waitMs: number) {
    this.#act = act;
    this.#waitMs = waitMs;
  }

  check({ off }: Readonly<Doings>): boolean {
    const { turns } = this.#act;
    return !turns || ('on' in turns ? off.has(turns.on) : !off.has(turns.off));
  }

  run({ off }: Doings, evening: Evening): void {
    const { turns, act } = this.#act;
    if (turns && 'on' in turns) off.delete(turns.on);
    if (turns && 'off' in turns) off.add(turns.off);
    act(evening);
    evening.run(this.#waitMs);
  }

  toString(): string {
    return `${this.#act.name}, ${this.#waitMs} ms`;
  }
}

const port = fc.nat(2).map((n) => `p${n}`);
const machine = fc.nat(1).map((n) => `m${n}`);
const simple = (name: string, act: (evening: Evening) => void) => fc.constant<Act>({ name, act });

/** The hub leads, and nobody can take over from it. */
const leadsItself = ({ rig }: Evening) => plannedLeader(rig) === HUB_ID && rig.takeOver !== 'whoeverPlays';

const play = fc.boolean().map((countIn): Act => ({
  name: countIn ? 'play with count-in' : 'play',
  act: (evening) => {
    evening.command({ kind: 'play', countIn });
    evening.plays = evening.rig.takeOver === 'whoeverPlays' ? null : evening.leaderId === HUB_ID ? true : evening.plays;
  },
}));
const stop = simple('stop', (evening) => {
  evening.command({ kind: 'stop' });
  evening.plays = leadsItself(evening) ? false : null;
});
const downbeat = fc.integer({ min: 0, max: 2000 }).map((ms): Act => ({
  name: `downbeat ${ms} ms ago`,
  act: (evening) => {
    evening.command({ kind: 'downbeat', atMs: evening.nowMs - ms });
    if (!leadsItself(evening)) evening.plays = null;
  },
}));
const later = fc.integer({ min: 1, max: 2 }).map((afterBars): Act => ({
  name: `play after ${afterBars} bars`,
  act: (evening) => {
    evening.command({ kind: 'play', afterBars });
    evening.plays = null;
  },
}));
const pause = simple('pause', (evening) => {
  evening.command({ kind: 'pause' });
  evening.plays = null;
});
const wind = fc.constantFrom('fastForward' as const, 'rewind' as const).map((direction): Act => ({
  name: direction,
  act: (evening) => {
    evening.command({ kind: 'wind', direction });
    evening.plays = null;
  },
}));
const record = fc
  .boolean()
  .map((on): Act => ({ name: `record ${on}`, act: (evening) => evening.command({ kind: 'record', on }) }));
const songEnd = fc.option(fc.integer({ min: 4, max: 64 })).map((endBeat): Act => ({
  name: `the song ends at ${endBeat}`,
  act: (evening) => {
    evening.plays = null;
    evening.setSong({ endBeat });
  },
}));
const locate = fc.nat(400).map((quarters): Act => {
  const beat = quarters / 4;
  return { name: `locate ${beat}`, act: (evening) => evening.command({ kind: 'locate', beat }) };
});
const tempo = fc
  .integer({ min: 20, max: 300 })
  .map((bpm): Act => ({ name: `tempo ${bpm}`, act: (evening) => evening.command({ kind: 'tempo', bpm }) }));
const newSong = song.map((changed): Act => ({
  name: `song ${JSON.stringify(changed)}`,
  act: (evening) => evening.setSong(changed),
}));
const gear = fc.tuple(fc.nat(5), gearChange).map(([n, change]): Act => ({
  name: `g${n} ${JSON.stringify(change)}`,
  act: (evening) => evening.changeGear(`g${n}`, change),
}));
const moveCable = fc.tuple(fc.nat(5), fc.option(origin)).map(([n, from]): Act => ({
  name: `cable of g${n} ${JSON.stringify(from)}`,
  act: (evening) => {
    const { rig } = evening;
    const boxes = rig.gear.filter(({ id }) => id.startsWith('g'));
    const index = boxes.findIndex(({ id }) => id === `g${n}`);
    if (index < 0) return;
    const others = rig.cables.filter(({ to }) => to.gearId !== `g${n}`);
    evening.setRig({ ...rig, cables: from ? [...others, cableInto(boxes, index, from)] : others });
  },
}));
const leaders = fc
  .tuple(
    fc.constantFrom(['hub'], ['hub', 'm0', 'm1'], ['m0', 'hub'], ['m0', 'm1', 'hub'], ['m1', 'm0']),
    fc.constantFrom('inOrder' as const, 'inOrder' as const, 'whoeverPlays' as const),
  )
  .map(([order, takeOver]): Act => ({
    name: `leaders ${order.join(' ')} ${takeOver}`,
    act: (evening) => {
      const { rig } = evening;
      const known = order.filter((id) => id === HUB_ID || evening.inputs.has(id));
      evening.plays = null;
      evening.setRig({ ...rig, leaders: known.length > 0 ? known : [HUB_ID], takeOver });
    },
  }));
const gives = fc
  .tuple(machine, fc.constantFrom('both' as const, 'tempo' as const, 'transport' as const))
  .map(([id, what]): Act => ({
    name: `${id} gives ${what}`,
    act: (evening) => {
      if (evening.inputs.get(id)?.machine.language !== 'clock') return;
      evening.plays = null;
      evening.setGives(id, what);
    },
  }));
const hold = port.chain((id) =>
  fc.constantFrom<Act>(
    {
      name: `hold ${id}`,
      turns: { off: `hold ${id}` },
      act: (evening) => evening.command({ kind: 'hold', feedId: id }),
    },
    {
      name: `release ${id}`,
      turns: { on: `hold ${id}` },
      act: (evening) => evening.command({ kind: 'release', feedId: id }),
    },
  ),
);
const mute = port.chain((id) =>
  fc.constantFrom<Act>(
    {
      name: `mute ${id}`,
      turns: { off: `mute ${id}` },
      act: (evening) => evening.command({ kind: 'mute', feedId: id, muted: true }),
    },
    {
      name: `unmute ${id}`,
      turns: { on: `mute ${id}` },
      act: (evening) => evening.command({ kind: 'mute', feedId: id, muted: false }),
    },
  ),
);
const solo = port.map((id): Act => ({
  name: `solo ${id}, then all`,
  act: (evening) => {
    evening.command({ kind: 'solo', feedIds: [id] });
    evening.run(400);
    evening.command({ kind: 'solo', feedIds: null });
  },
}));
const nudge = fc
  .tuple(fc.option(port), fc.double({ min: -0.1, max: 0.1, noNaN: true }), fc.integer({ min: 50, max: 4000 }))
  .map(([feedId, share, ms]): Act => ({
    name: `nudge ${feedId ?? 'all'} by ${share} for ${ms} ms`,
    act: (evening) => {
      const which = feedId === null ? {} : { feedId };
      evening.command({ kind: 'nudge', share, ...which });
      evening.run(ms);
      evening.command({ kind: 'nudge', share: 0, ...which });
    },
  }));
const pull = port.chain((id) =>
  fc.constantFrom<Act>(
    { name: `pull ${id}`, turns: { off: `pull ${id}` }, act: (evening) => evening.pull(id) },
    {
      name: `put ${id} back`,
      turns: { on: `pull ${id}` },
      act: (evening) => evening.putBack(id),
    },
  ),
);
const drive = fc
  .tuple(
    machine,
    fc.constantFrom('plays', 'stops', 'changes', 'jitters', 'comes late', 'loses ticks', 'is unplugged', 'is back'),
    fc.double({ min: 0, max: 1, noNaN: true }),
  )
  .map(([id, does, amount]): Act => ({
    name: `${id} ${does} (${amount})`,
    act: (evening) => {
      const input = evening.inputs.get(id);
      if (!input) return;
      const { machine: one, line } = input;
      const rolled = one.rolling;
      if (does !== 'plays' && does !== 'stops') input.lineSinceMs = evening.nowMs;
      if (does === 'plays') one.play(evening.nowMs);
      else if (does === 'stops') one.stop(evening.nowMs);
      else if (does === 'changes')
        one.setSpeed(one.language === 'clock' ? 60 + 120 * amount : 0.9 + 0.2 * amount, evening.nowMs);
      else if (does === 'jitters') line.jitterMs = 20 * amount;
      else if (does === 'comes late') line.lateMs = 200 * amount;
      else if (does === 'loses ticks') line.loss = 0.02 * amount;
      else line.unplugged = does === 'is unplugged';
      if (one.language === 'clock' && one.rolling !== rolled) input.missed = line.unplugged;
    },
  }));
const asleep = fc.integer({ min: 3000, max: 20_000 }).map((ms): Act => ({
  name: `asleep for ${ms} ms`,
  act: (evening) => {
    evening.holdUp(ms, 'as sent');
    evening.plays = leadsItself(evening) ? false : null;
  },
}));
const lost = fc.integer({ min: 200, max: 2500 }).map((ms): Act => ({
  name: `the hub is lost for ${ms} ms`,
  act: (evening) => evening.loseHub(ms),
}));
const holdUp = fc
  .tuple(fc.integer({ min: 40, max: 2000 }), fc.constantFrom('as sent' as const, 'all now' as const))
  .map(([ms, stamps]): Act => ({
    name: `held up for ${ms} ms, stamped ${stamps}`,
    act: (evening) => evening.holdUp(ms, stamps),
  }));

const acts = [
  play,
  play,
  stop,
  later,
  pause,
  wind,
  record,
  songEnd,
  downbeat,
  locate,
  tempo,
  newSong,
  gear,
  moveCable,
  leaders,
  gives,
  hold,
  mute,
  solo,
  nudge,
  pull,
  drive,
  drive,
  asleep,
  lost,
  holdUp,
];
const waitMs = fc.oneof(fc.integer({ min: 0, max: 120 }), fc.integer({ min: 0, max: 3000 }));
const happenings = fc.commands(
  acts.map((act) => fc.tuple(act, waitMs).map(([one, ms]) => new Happening(one, ms))),
  { maxCommands: 24, size: 'max' },
);

/** A random studio, and what happens there in one evening. */
export const evenings = fc.record({ studio, happenings });
export const nothingDone = (): Doings => ({ off: new Set() });
