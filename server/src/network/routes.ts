import { lookup } from 'node:dns/promises';
import { bodyParser } from '@koa/bodyparser';
import Router from '@koa/router';
import { isPeerKey, TOKEN_HEADER, type PeerAddress } from '@metronomo/core';
import type { Context, Middleware } from 'koa';
import { number, object, string, ValidationError, type InferType, type ObjectSchema } from 'yup';
import type { Discovery } from './discovery';
import type { Guard } from './guard';
import type { Network } from './network';

const MOST_BODY = '4kb';
export const MOST_BUFFER_MS = 500;
const MOST_PROBE_MS = 120_000;

const key = string()
  .required()
  .test('key', 'A key has letters, digits, point and hyphen.', (text) => isPeerKey(text));
const port = number().integer().min(1).max(65_534);
const bufferMs = number().min(0).max(MOST_BUFFER_MS);

const invitation = object({
  address: string()
    .required()
    .max(253)
    .matches(/^[\w.:-]+$/, 'An address is a number like 192.0.2.7, or a name.'),
  port: port.required(),
  name: string().max(60).default(''),
  key,
  bufferMs: bufferMs.default(undefined),
}).noUnknown();
const acceptance = object({ key, bufferMs: bufferMs.default(undefined) }).noUnknown();
const settings = object({ bufferMs: bufferMs.required() }).noUnknown();
const probing = object({ forMs: number().required().min(0).max(MOST_PROBE_MS) }).noUnknown();
const after = object({ after: number().integer().min(0).default(0) });

/** What the interface asks and orders of network MIDI. `network` is null where it could not be opened; then `problem` says why. */
export interface NetworkParts {
  network: Network | null;
  problem: string | null;
  discovery: Discovery | null;
  /** Peers that are known without looking: the stand-in of the demo. */
  known: readonly (PeerAddress & { name: string })[];
  guard: Guard;
}

export function networkRoutes({ network, problem, discovery, known, guard }: NetworkParts): Router {
  const router = new Router({ prefix: '/api/network' });
  router.use(onlyOurOwn(guard), bodyParser({ enableTypes: ['json'], jsonLimit: MOST_BODY }));

  router.get('/', (ctx) => {
    ctx.body = {
      open: network !== null,
      problem,
      name: network?.name ?? null,
      port: network?.port ?? null,
      addresses: network?.addresses ?? [],
      lookingProblem: discovery ? discovery.problem : 'Looking for others is switched off.',
      counts: network?.counts ?? null,
    };
  });
  router.get('/token', (ctx) => {
    ctx.set('Cache-Control', 'no-store');
    ctx.body = { token: guard.token };
  });
  router.get('/peers', (ctx) => {
    ctx.body = [...known, ...(discovery?.peers() ?? [])];
  });
  router.get('/sessions', (ctx) => {
    ctx.body = network?.sessions() ?? [];
  });
  router.post('/sessions', async (ctx) => {
    const wanted = await bodyOf(ctx, invitation);
    const address = await addressOf(wanted.address);
    if (!network || !address)
      return refuse(ctx, 422, network ? `${wanted.address} is not known here.` : String(problem));
    try {
      const id = network.invite({ address, port: wanted.port }, wanted.name, wanted.key);
      if (wanted.bufferMs !== undefined) network.setBuffer(id, wanted.bufferMs);
      ctx.status = 201;
      ctx.body = { id };
    } catch (error) {
      if (!(error instanceof RangeError)) throw error;
      refuse(ctx, 409, error.message);
    }
  });
  router.post('/sessions/:id/accept', async (ctx) => {
    const wanted = await bodyOf(ctx, acceptance);
    const id = String(ctx.params['id']);
    if (wanted.bufferMs !== undefined) network?.setBuffer(id, wanted.bufferMs);
    answer(ctx, network?.accept(id, wanted.key));
  });
  router.patch('/sessions/:id', async (ctx) => {
    const wanted = await bodyOf(ctx, settings);
    answer(ctx, network?.setBuffer(String(ctx.params['id']), wanted.bufferMs));
  });
  router.post('/sessions/:id/probe', async (ctx) => {
    const { forMs } = await bodyOf(ctx, probing);
    answer(ctx, network?.probe(String(ctx.params['id']), forMs));
  });
  router.get('/sessions/:id/exchanges', (ctx) => {
    const query = after.validateSync(ctx.query, { stripUnknown: true });
    const records = network?.exchangesAfter(String(ctx.params['id']), query.after);
    if (records) ctx.body = records;
    else refuse(ctx, 404, 'There is no such session any more.');
  });
  router.delete('/sessions/:id', (ctx) => answer(ctx, network?.leave(String(ctx.params['id']))));
  return router;
}

/** Nothing is told to another host’s name, and nothing is changed without the token. */
function onlyOurOwn(guard: Guard): Middleware {
  return async (ctx, next) => {
    const changes = ctx.method !== 'GET' && ctx.method !== 'HEAD';
    const from = ctx.get('sec-fetch-site');
    if (!guard.isOwnHost(ctx.req) || (from !== '' && from !== 'same-origin' && from !== 'none'))
      return refuse(ctx, 403, 'This is only for the app’s own pages.');
    if (changes && !guard.knows(ctx.get(TOKEN_HEADER))) return refuse(ctx, 403, 'The token is missing or wrong.');
    try {
      await next();
    } catch (error) {
      if (error instanceof ValidationError) refuse(ctx, 422, error.errors.join(' ').slice(0, 300));
      else throw error;
    }
  };
}

function answer(ctx: Context, done: boolean | undefined): void {
  if (done) ctx.status = 204;
  else refuse(ctx, 409, 'There is no such session any more, or it is past that.');
}

function refuse(ctx: Context, status: number, error: string): void {
  ctx.status = status;
  ctx.body = { error };
}

function bodyOf<Schema extends ObjectSchema<object>>(ctx: Context, schema: Schema): Promise<InferType<Schema>> {
  return schema.validate(ctx.request.body ?? {}, { strict: true }) as Promise<InferType<Schema>>;
}

async function addressOf(text: string): Promise<string | null> {
  try {
    return (await lookup(text)).address;
  } catch {
    return null;
  }
}
