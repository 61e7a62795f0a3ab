import { readFile } from 'node:fs/promises';
import { join } from 'node:path';
import Router from '@koa/router';
import Koa, { type Context, type Next } from 'koa';
import compress from 'koa-compress';
import helmet from 'koa-helmet';
import send from 'koa-send';
import type { Logger } from 'pino';
import { Guard } from './network/guard';
import { networkRoutes, type NetworkParts } from './network/routes';

export interface AppSettings {
  /** Folder of the built interface. */
  webRoot: string;
  version: string;
  logger: Logger;
  /** Network MIDI, if available. */
  network?: NetworkParts;
}

const WEEK_MS = 7 * 24 * 3600 * 1000;
const LOOPBACK = '127.0.0.1';

/** The whole server apart from its socket: the built interface and a small API. */
export function createApp({ webRoot, version, logger, network }: AppSettings): Koa {
  const app = new Koa();
  const startedAt = Date.now();
  const api = new Router({ prefix: '/api' });
  api.get('/status', (ctx) => {
    ctx.body = { name: 'metronomo', version, upSeconds: Math.round((Date.now() - startedAt) / 1000) };
  });

  api.get('/health', (ctx) => {
    const sessions = network?.network?.sessions() ?? [];
    ctx.body = {
      ok: true,
      version,
      upSeconds: Math.round((Date.now() - startedAt) / 1000),
      memoryMB: Math.round(process.memoryUsage().rss / 1e6),
      network: network?.network ? 'open' : (network?.problem ?? 'off'),
      openSessions: sessions.filter(({ state }) => state === 'open').length,
    };
  });

  app.on('error', (error: Error) => logger.error({ err: error }, 'request failed'));
  app.use(securityHeaders());
  app.use(compress());
  app.use(errorsAsJson(logger));
  app.use(oneOrigin());
  app.use(onlyOwnHosts(network?.guard ?? new Guard()));
  app.use(api.routes());
  if (network) app.use(networkRoutes(network).routes());
  app.use((ctx, next) => (isApi(ctx.path) ? unknownApi(ctx) : next()));
  app.use(builtInterface(webRoot));
  return app;
}

/**
 * On one computer, the page has one address: under `localhost` and `127.0.0.1` a browser would keep two sets of data, and
 * two pages could play to the same ports, neither knowing of the other. With a certificate, its name decides.
 */
function oneOrigin(): Koa.Middleware {
  return (ctx: Context, next: Next) => {
    const isOther = ctx.hostname === 'localhost' && ctx.req.socket.localAddress === LOOPBACK && !ctx.secure;
    if (!isOther || isApi(ctx.path) || ctx.get('x-forwarded-host') !== '') return next();
    // With the port as the browser knows it: through a tunnel it is another one.
    ctx.redirect(`http://${ctx.host.replace('localhost', LOOPBACK)}${ctx.url}`);
    return undefined;
  };
}

/** A page of a foreign name that resolves to this computer (DNS rebinding) gets nothing from the API. */
function onlyOwnHosts(guard: Guard): Koa.Middleware {
  return async (ctx: Context, next: Next) => {
    if (!isApi(ctx.path) || guard.isOwnHost(ctx.req)) return next();
    ctx.status = 403;
    ctx.body = { error: 'Only Metronomo’s own pages can use this API.' };
  };
}

function isApi(path: string): boolean {
  return path === '/api' || path.startsWith('/api/');
}

/** Cross-origin isolation gives the page unrounded clocks; the content policy allows nothing from elsewhere. */
function securityHeaders(): Koa.Middleware {
  const own = ["'self'"];
  return helmet({
    contentSecurityPolicy: {
      useDefaults: false,
      directives: {
        defaultSrc: ["'none'"],
        scriptSrc: own,
        workerSrc: own,
        styleSrc: own,
        fontSrc: own,
        imgSrc: own,
        connectSrc: own,
        mediaSrc: [...own, 'blob:'],
        manifestSrc: own,
        baseUri: ["'none'"],
        formAction: ["'none'"],
        frameAncestors: ["'none'"],
        objectSrc: ["'none'"],
      },
    },
    crossOriginOpenerPolicy: { policy: 'same-origin' },
    crossOriginEmbedderPolicy: { policy: 'require-corp' },
    crossOriginResourcePolicy: { policy: 'same-origin' },
    // Plain HTTP on loopback; a TLS proxy in front adds its own.
    strictTransportSecurity: false,
    referrerPolicy: { policy: 'no-referrer' },
  }) as unknown as Koa.Middleware;
}

function errorsAsJson(logger: Logger): Koa.Middleware {
  return async (ctx: Context, next: Next) => {
    try {
      await next();
    } catch (error) {
      const status = typeof error === 'object' && error && 'status' in error ? Number(error.status) : 500;
      ctx.status = status >= 400 && status < 600 ? status : 500;
      if (ctx.status >= 500) logger.error({ err: error, path: ctx.path }, 'request failed');
      ctx.body = {
        error: ctx.status >= 500 ? 'Server error. Try again; the server log has details.' : 'Invalid request.',
      };
    }
  };
}

function unknownApi(ctx: Context): void {
  ctx.status = 404;
  ctx.body = { error: `Not found: ${ctx.method} ${ctx.path.slice(0, 200)}.` };
}

/** Files of the build as they are; every other path is a route of the app. */
function builtInterface(webRoot: string): Koa.Middleware {
  return async (ctx: Context) => {
    if (ctx.method !== 'GET' && ctx.method !== 'HEAD') {
      ctx.status = 405;
      ctx.set('Allow', 'GET, HEAD');
      ctx.body = { error: `${ctx.method} isn’t supported here. Use GET or HEAD.` };
      return;
    }
    if (/\.[a-z0-9]{1,11}$/i.test(ctx.path)) {
      const named = ctx.path.startsWith('/assets/');
      await send(ctx, ctx.path, { root: webRoot, maxage: named ? WEEK_MS : 0, immutable: named, hidden: false });
      return;
    }
    ctx.set('Cache-Control', 'no-cache');
    ctx.type = 'html';
    ctx.body = await readFile(join(webRoot, ctx.path === '/remote' ? 'remote.html' : 'index.html'), 'utf8');
  };
}
