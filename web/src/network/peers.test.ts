import type { RememberedPeer, Rig } from '../store/records';
import { boathouse } from '../store/boathouse';
import { addPort } from '../store/rig-plan';
import { checkRig } from '../store/rig-schema';
import type { NetworkSession } from './api';
import { freeKey, isSamePlace, peerFor, peerInSession, withoutPeer, withPeer } from './peers';
import { networkPortId, peerKeyOf } from '../ports/port-ids';

const jetty: RememberedPeer = {
  key: 'jetty',
  name: 'Jetty',
  address: '192.0.2.7',
  port: 5004,
  weInvite: true,
  bufferMs: 45,
};

test('a known peer keeps its key and buffer; a new one gets its own key', () => {
  expect(peerFor({ name: '192.0.2.7', address: '192.0.2.7', port: 5004 }, true, [jetty])).toMatchObject({
    key: 'jetty',
    bufferMs: 45,
  });
  expect(peerFor({ name: 'Jetty', address: '192.0.2.8', port: 5004 }, true, [jetty])).toMatchObject({
    key: 'jetty-2',
    bufferMs: 30,
  });
  // An inviting peer may use another port each time, but keeps its name.
  expect(peerFor({ name: 'Jetty', address: '192.0.2.7', port: 61_000 }, false, [jetty])).toMatchObject({
    key: 'jetty',
    port: 61_000,
    weInvite: false,
  });
});

test('a key contains only letters, digits, dots and hyphens, whatever the name', () => {
  expect(freeKey('  Über—Fahrt 2 ', [])).toBe('ber-fahrt-2');
  expect(freeKey('☂', [])).toBe('peer');
  expect(freeKey('192.0.2.7', [])).toBe('192.0.2.7');
  expect(freeKey('x'.repeat(500), []).length).toBeLessThanOrEqual(40);
});

test('an accepted peer is recognized only by the same address and name', () => {
  const session = { address: '192.0.2.7', name: 'Jetty', port: 61_000 } as NetworkSession;
  expect(isSamePlace(jetty, session)).toBe(true);
  expect(isSamePlace(jetty, { ...session, address: '192.0.2.9' })).toBe(false);
  expect(isSamePlace(jetty, { ...session, name: 'Jetty ' })).toBe(false);
});

test('a peer in session with another rig is adopted with its key; one of this rig isn’t', () => {
  const place = { name: 'Jetty', address: '192.0.2.7', port: 5004 };
  const session = { ...place, key: 'pier', state: 'open', weInvited: true, bufferMs: 20 } as NetworkSession;
  expect(peerInSession(place, [], [session])).toEqual({ ...jetty, key: 'pier', bufferMs: 20 });
  expect(peerInSession(place, [{ ...jetty, key: 'pier' }], [session])).toBeNull();
  expect(peerInSession(place, [], [{ ...session, state: 'ended' }])).toBeNull();
  expect(peerInSession({ ...place, port: 5006 }, [], [session])).toBeNull();
});

test('a rig with peers and their ports is valid; one with an invalid peer isn’t', () => {
  const rig = addPort(withPeer(boathouse(), jetty), networkPortId('jetty'), 'Jetty, network', 'in');
  checkRig(rig);
  expect(rig.hubSockets.at(-1)).toMatchObject({ link: 'network', portId: 'net:jetty' });
  expect(peerKeyOf('net:jetty')).toBe('jetty');
  expect(peerKeyOf('midi:jetty')).toBeNull();
  expect(withoutPeer(rig, 'jetty').peers).toEqual([]);
  const bad = (change: object): Rig => withPeer(rig, { ...jetty, ...change });
  for (const change of [{ key: 'No' }, { port: 0 }, { bufferMs: 9999 }, { name: '' }])
    expect(() => checkRig(bad(change))).toThrow();
});
