import type { Driver } from 'selenium-webdriver/chrome';
import { openBrowser } from './browser';
const page = await openBrowser({ calm: true });
const size = (width: number, height: number) =>
  (page.driver as Driver).sendDevToolsCommand('Emulation.setDeviceMetricsOverride', {
    width,
    height,
    deviceScaleFactor: 1,
    mobile: false,
  });
const pics = process.argv.includes('--pics');
try {
  await page.open('/bench');
  await page.press('Record take M');
  await page.sees(/Measuring: [6-9] of/, 60_000);
  await page.press('Finish early');
  await page.sees('Take finished early', 60_000);
  for (const [w, h] of [
    [1280, 800],
    [820, 1180],
    [640, 800],
    [390, 844],
    [320, 640],
  ] as const) {
    await size(w, h);
    for (const view of ['rig', 'run', 'bench', 'align', 'logbook']) {
      await page.go(view);
      await new Promise((r) => setTimeout(r, 900));
      const found = await page.driver.executeScript<string[]>(`
        const out = [];
        const main = document.querySelector('main');
        const w = innerWidth;
        if (document.documentElement.scrollWidth > w) out.push('page ' + document.documentElement.scrollWidth);
        if (main.scrollWidth > main.clientWidth) out.push('main ' + main.scrollWidth + ' > ' + main.clientWidth);
        const scrolls = (e) => { for (let p = e.parentElement; p && p !== main; p = p.parentElement) { const o = getComputedStyle(p).overflowX; if (o === 'auto' || o === 'scroll' || o === 'hidden' || o === 'clip') return true; } return false; };
        const bad = [...document.querySelectorAll('header *, nav *, main *, footer *')].filter((e) => { const r = e.getBoundingClientRect(); return r.width > 0 && r.right > w + 1 && !scrolls(e) && getComputedStyle(e).position !== 'fixed' && !e.closest('.sr-only'); });
        const outer = bad.filter((e) => !bad.includes(e.parentElement));
        out.push(...outer.slice(0, 6).map((e) => e.tagName + '.' + String(e.className?.baseVal ?? e.className).slice(0, 60) + ' "' + (e.textContent ?? '').slice(0, 25) + '" right ' + Math.round(e.getBoundingClientRect().right)));
        const hidden = ['Play', 'Tap', 'Stop'].filter((n) => { const b = [...document.querySelectorAll('button')].find((x) => x.getAttribute('aria-label') === n || x.textContent === n); if (!b) return false; const r = b.getBoundingClientRect(); return r.width === 0 || r.right > w || r.bottom > innerHeight; });
        if (hidden.length) out.push('not reachable: ' + hidden);
        const chrome = document.querySelector('main').getBoundingClientRect();
        out.push('main from ' + Math.round(chrome.top) + ' to ' + Math.round(chrome.bottom));
        return out;`);
      console.log(w, view, found.join(' | '));
      if (pics && (w === 390 || w === 820)) await page.picture(`/tmp/n-${w}-${view}.png`);
    }
  }
} finally {
  await page.close();
}
