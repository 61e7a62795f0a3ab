import { execFile, spawn, type ChildProcess } from 'node:child_process';
import { createSocket } from 'node:dgram';
import { mkdtempSync, statSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { promisify } from 'node:util';
import { encodeMidi, fullFrame, quarterFrames, type MidiMessage } from '../core/src/index';
import pino from 'pino';
import { Network } from '../server/src/network/network';
import { until } from '../server/src/network/until';

/**
 * tshark, from Debian's packages, is an independent reader of RTP-MIDI (RFC 6295) and the session protocol: its
 * dissection of a session captured on the loopback interface is compared with what was sent.
 */
const logger = pino({ level: 'silent' });
const run = promisify(execFile);
const file = join(mkdtempSync(join(tmpdir(), 'metronomo-capture-')), 'session.pcap');
const read = async (...args: string[]) => (await run('tshark', ['-r', file, ...args], { maxBuffer: 1 << 26 })).stdout;

const CODE = { hours: 1, minutes: 2, seconds: 3, frames: 4 };
const MESSAGES: MidiMessage[] = [
  { kind: 'songPosition', sixteenths: 300 },
  { kind: 'continue' },
  ...Array.from({ length: 30 }, () => ({ kind: 'clock' }) as const),
  { kind: 'noteOn', channel: 3, note: 60, velocity: 100 },
  { kind: 'noteOn', channel: 3, note: 64, velocity: 90 },
  { kind: 'noteOff', channel: 3, note: 60, velocity: 0 },
  { kind: 'controlChange', channel: 3, controller: 7, value: 99 },
  { kind: 'programChange', channel: 4, program: 12 },
  { kind: 'stop' },
];

/** Resolves once packets are really captured: tshark announces itself too early. */
async function capture(networks: Network[]): Promise<ChildProcess> {
  const filter = networks.map(({ port }) => `udp portrange ${port}-${port + 1}`).join(' or ');
  const child = spawn('tshark', ['-i', 'lo', '-f', filter, '-w', file, '-q']);
  const socket = createSocket('udp4');
  const empty = 1000;
  await until(() => {
    socket.send('x', networks[0]?.port ?? 0, '127.0.0.1');
    return (statSync(file, { throwIfNoEntry: false })?.size ?? 0) > empty || null;
  });
  socket.close();
  return child;
}

const FIELDS = [
  ...(['common_status', 'mtc_quarter_frame_type', 'channel_status', 'channel', 'note', 'velocity'] as const),
  ...(['controller', 'controller_value', 'program'] as const),
  ...(['sj_chapter_q_clock', 'chanjour_toc_n', 'chanjour_channel'] as const),
];

/** All values of each field over all packets. */
async function valuesOf(fields: readonly string[]): Promise<number[][]> {
  const asked = fields.flatMap((field) => ['-e', `rtpmidi.${field}`]);
  const rows = (await read('-Y', 'rtpmidi', '-T', 'fields', '-E', 'separator=;', ...asked)).split('\n').filter(Boolean);
  return fields.map((_, i) => rows.flatMap((row) => (row.split(';')[i] ?? '').split(',').filter(Boolean).map(Number)));
}

test('another program dissects a captured session without a malformed packet, and reads the same messages', async () => {
  const options = { hosts: ['127.0.0.1'], port: 0, logger };
  const [ours, theirs] = [
    await Network.open({ ...options, name: 'Boathouse' }),
    await Network.open({ ...options, name: 'Jetty' }),
  ];
  const child = await capture([ours, theirs]);
  const id = ours.invite({ address: '127.0.0.1', port: theirs.port }, 'Jetty', 'jetty');
  theirs.accept((await until(() => theirs.sessions()[0])).id, 'boathouse');
  await until(
    () => (ours.sessions()[0]?.state === 'open' && (ours.sessions()[0]?.clock?.roundTripMs ?? null) !== null) || null,
  );
  let count = 0;
  theirs.listen({ messages: (messages) => (count += messages.length), changed: () => undefined });
  const atMs = ours.now() + 20;
  const sysex = encodeMidi({ kind: 'sysex', data: Uint8Array.from({ length: 2500 }, (_, i) => i % 128) });
  const all = [...MESSAGES.map(encodeMidi), ...quarterFrames(CODE, '25'), fullFrame(CODE, '25'), sysex];
  ours.send(
    id,
    all.map((bytes, i) => ({ atMs: atMs + 8 * i, bytes })),
  );
  await until(() => count === all.length || null);
  // Once the peer confirms receipt, the journal is trimmed.
  await until(() => ours.now() > atMs + 8 * all.length + 1500 || null);
  ours.leave(id);
  await new Promise((resolve) => setTimeout(resolve, 200));
  child.kill('SIGINT');
  await new Promise((resolve) => child.once('exit', resolve));

  expect(await read('-Y', '_ws.malformed || _ws.expert.severity == error')).toBe('');
  const fields = await valuesOf(FIELDS);
  /** The values of a field over all packets, in order; a packet may hold several. */
  const seen = (field: (typeof FIELDS)[number]) => fields[FIELDS.indexOf(field)] ?? [];
  const pieces = [...[0xf0, 0xf0], ...[0xf7, 0xf0], ...[0xf7, 0xf7]];
  const quarters = Array.from({ length: 8 }, () => 0xf1);
  expect(seen('common_status')).toEqual([
    0xf2,
    0xfb,
    ...Array.from({ length: 30 }, () => 0xf8),
    0xfc,
    ...quarters,
    0xf0,
    0xf7,
    ...pieces,
  ]);
  expect(seen('mtc_quarter_frame_type')).toEqual([0, 1, 2, 3, 4, 5, 6, 7]);
  expect(seen('channel_status')).toEqual([0x9, 0x9, 0x8, 0xb, 0xc]);
  expect(seen('channel')).toEqual([2, 2, 2, 2, 3]);
  expect(seen('note')).toEqual([60, 64, 60]);
  expect(seen('velocity')).toEqual([100, 90, 0]);
  expect([seen('controller'), seen('controller_value'), seen('program')]).toEqual([[7], [99], [12]]);
  // The journals count ticks from the 300th sixteenth on, each packet up to the one before; some messages may have
  // shared a packet.
  const clocks = seen('sj_chapter_q_clock');
  expect(clocks.length).toBeGreaterThan(10);
  expect([...clocks].sort((a, b) => a - b)).toEqual(clocks);
  expect([clocks[0], Math.max(...clocks) <= 1830]).toEqual([1800, true]);
  // Journals after the notes contain them too, on the third channel.
  expect(seen('chanjour_toc_n').some((flag) => flag === 1)).toBe(true);
  expect(new Set(seen('chanjour_channel'))).toEqual(new Set([2]));
  // And the session protocol.
  const words = (await read('-Y', '!rtpmidi && udp.length > 9', '-T', 'fields', '-e', '_ws.col.Info'))
    .split('\n')
    .filter(Boolean);
  const conversation = words.filter((line) => !/^(Synchronization|Receiver Feedback)/.test(line));
  const [invited, accepted] = ['Invitation: peer = "Boathouse"', 'Invitation Accepted: peer = "Jetty"'];
  expect(conversation).toEqual([invited, accepted, invited, accepted, 'End Session']);
  expect(words.filter((line) => line === 'Synchronization: count = 2').length).toBeGreaterThan(5);
  expect(words.some((line) => line.startsWith('Receiver Feedback'))).toBe(true);
  ours.close();
  theirs.close();
});
