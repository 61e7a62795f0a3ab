import { lookup } from 'node:dns/promises';
import { bodyParser } from '@koa/bodyparser';
import Router from '@koa/router';
import { isPeerKey, TOKEN_HEADER, type PeerAddress } from '@metronomo/core';
import type { Context, Middleware } from 'koa';
import { number, object, string, ValidationError, type InferType, type ObjectSchema } from 'yup';
import type { Discovery } from './discovery';
import type { Guard } from './guard';
import type { Network } from './network';

const MAX_BODY = '4kb';
export const MAX_BUFFER_MS = 500;
const MAX_PROBE_MS = 120_000;

const key = string()
  .required()
  .test('key', 'A key can contain lowercase letters, digits, dots and hyphens.', (text) => isPeerKey(text));
const PORT_RANGE = 'Port must be 1 to 65534.';
const port = number().typeError(PORT_RANGE).integer(PORT_RANGE).min(1, PORT_RANGE).max(65_534, PORT_RANGE);
const BUFFER_RANGE = `Buffer must be 0 to ${MAX_BUFFER_MS} ms.`;
const bufferMs = number().typeError(BUFFER_RANGE).min(0, BUFFER_RANGE).max(MAX_BUFFER_MS, BUFFER_RANGE);

const invitation = object({
  address: string()
    .required()
    .max(253, 'Address too long. Use 253 characters or fewer.')
    .matches(/^[\w.:-]+$/, 'Enter an IP address such as 192.0.2.7, or a host name.'),
  port: port.required(),
  name: string().max(60, 'Name can have up to 60 characters.'),
  key,
  bufferMs: bufferMs.default(undefined),
}).noUnknown();
const acceptance = object({ key, bufferMs: bufferMs.default(undefined) }).noUnknown();
const settings = object({ bufferMs: bufferMs.required() }).noUnknown();
const probing = object({ forMs: number().required().min(0).max(MAX_PROBE_MS) }).noUnknown();
const after = object({ after: number().integer().min(0).default(0) });

/**
 * The parts of network MIDI that the API exposes. If it couldn't be opened, `network` is null and `problem` says why.
 */
export interface NetworkParts {
  network: Network | null;
  problem: string | null;
  discovery: Discovery | null;
  /** Peers known without discovery: the demo's stand-in. */
  known: readonly (PeerAddress & { name: string })[];
  guard: Guard;
}

export function networkRoutes({ network, problem, discovery, known, guard }: NetworkParts): Router {
  const router = new Router({ prefix: '/api/network' });
  router.use(onlyOurOwn(guard), bodyParser({ enableTypes: ['json'], jsonLimit: MAX_BODY }));

  router.get('/', (ctx) => {
    ctx.body = {
      open: network !== null,
      problem,
      name: network?.name ?? null,
      port: network?.port ?? null,
      addresses: network?.addresses ?? [],
      lookingProblem: discovery ? discovery.problem : 'Discovery is turned off. Invite peers by address.',
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
      return refuse(
        ctx,
        422,
        network ? `Can’t find ${wanted.address} on the network. Check the address.` : String(problem),
      );
    try {
      const id = network.invite({ address, port: wanted.port }, wanted.name ?? '', wanted.key);
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
    else refuse(ctx, 404, 'This session no longer exists.');
  });
  router.delete('/sessions/:id', (ctx) => answer(ctx, network?.leave(String(ctx.params['id']))));
  return router;
}

/** Rejects unknown hosts, and changes without the token. */
function onlyOurOwn(guard: Guard): Middleware {
  return async (ctx, next) => {
    const changes = ctx.method !== 'GET' && ctx.method !== 'HEAD';
    const from = ctx.get('sec-fetch-site');
    if (!guard.isOwnHost(ctx.req) || (from !== '' && from !== 'same-origin' && from !== 'none'))
      return refuse(ctx, 403, 'Only Metronomo’s own pages can use this API.');
    if (changes && !guard.knows(ctx.get(TOKEN_HEADER)))
      return refuse(ctx, 403, 'Session token missing or invalid. Reload the page.');
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
  else refuse(ctx, 409, 'This session has ended, or can’t do this in its current state. Check its status in Rig.');
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
