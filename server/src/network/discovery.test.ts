import pino from 'pino';
import { Discovery } from './discovery';
import { until } from './until';

const logger = pino({ level: 'silent' });

test('two servers on one machine find each other, and not themselves', async () => {
  const [a, b] = [
    new Discovery({ name: 'Boathouse', port: 51_004, host: '127.0.0.1', logger }),
    new Discovery({ name: 'Je\u202etty', port: 52_004, host: '127.0.0.1', logger }),
  ];
  // Another Metronomo may be running on this machine.
  const ours = (one: Discovery) => one.peers().filter(({ port }) => port === 51_004 || port === 52_004);
  await until(() => (ours(a).length > 0 && ours(b).length > 0) || null);
  expect(ours(a)).toEqual([{ name: 'Jetty', address: '127.0.0.1', port: 52_004 }]);
  expect(ours(b)).toEqual([{ name: 'Boathouse', address: '127.0.0.1', port: 51_004 }]);
  await Promise.all([a.close(), b.close()]);
});
