import { HubClock } from './hub-clock';
import { readFromHost, readFromRemote, readRelayed, type RemoteState } from '../remote/messages';
import { positionAt } from './position-at';

const state: RemoteState = {
  kind: 'state',
  atMs: 1000,
  beat: 8,
  bpm: 120,
  plays: true,
  counting: false,
  bar: { number: 3, fromBeat: 8, beats: 4, quarters: 1 },
  song: 'Salt Ledger',
  sections: [{ name: 'Verse', fromBeat: 0, beats: 16 }],
  locked: 8,
  followers: 8,
  fills: [],
  hasNextSong: false,
};

test('the hub’s clock is known to within half of the fastest exchange', () => {
  const clock = new HubClock();
  expect(clock.at(0)).toBeNull();
  // The hub is 5,000 ms ahead; one exchange was held up on its way back.
  clock.add(100, 5100 + 4, 100 + 8);
  clock.add(200, 5200 + 4, 200 + 90);
  expect(clock.at(300)).toBe(5300);
  expect(clock.roundTripMs).toBe(90);
  clock.add(400, 0, 300);
  expect(clock.at(300)).toBe(5300);
});

test('between two messages, bars go on like the one that is known', () => {
  expect(positionAt(state, 8)).toEqual({ bar: 3, beat: 1 });
  expect(positionAt(state, 11.99)).toEqual({ bar: 3, beat: 4 });
  expect(positionAt(state, 13.5)).toEqual({ bar: 4, beat: 2 });
  const sixEight = { bar: { number: 2, fromBeat: 3, beats: 6, quarters: 0.5 } };
  expect(positionAt(sixEight, 5.6)).toEqual({ bar: 2, beat: 6 });
  expect(positionAt(sixEight, 6)).toEqual({ bar: 3, beat: 1 });
});

test('messages are read by their kind, and anything else is nothing', () => {
  expect(readFromHost(JSON.stringify(state))).toEqual(state);
  expect(readFromHost('{"kind":"hubGone"}')).toEqual({ kind: 'hubGone' });
  const press = { kind: 'press', does: 'fill', down: true, triggerId: 't' };
  expect(readFromRemote(JSON.stringify(press))).toEqual(press);
  const bad = ['', '{', 'null', '[]', '{"kind":"state"}', JSON.stringify({ ...state, bpm: -1 }), 7, undefined];
  for (const text of bad)
    expect([readFromHost(text), readFromRemote(text), readRelayed(text)]).toEqual([null, null, null]);
});

test('a remote can’t do what isn’t on its page', () => {
  for (const does of ['record', 'mute', 'trigger', 'stop'])
    expect(readFromRemote(JSON.stringify({ kind: 'press', does, down: true }))).toBeNull();
});
