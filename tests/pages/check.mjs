// Opens pages in headless Chromium, light and dark, wide and narrow: no violation of axe-core's rules, no sideways scroll, no overlap, no
// request to anywhere, no script.
//   node check.mjs [--shots DIR] PAGE...
import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { basename, join, resolve } from 'node:path';
import { pathToFileURL } from 'node:url';
import { chromium } from 'playwright-core';

const axe = readFileSync(createRequire(import.meta.url).resolve('axe-core/axe.min.js'), 'utf8');
const words = process.argv.slice(2);
const shots = words[0] === '--shots' ? words.splice(0, 2)[1] : null;
const browser = await chromium.launch({ executablePath: '/usr/bin/chromium', args: ['--no-sandbox'] });
let passed = 0;
let failed = 0;

function tell(what, faults) {
  faults.length === 0 ? passed++ : failed++;
  console.log(`${faults.length === 0 ? 'passed' : 'FAILED'}: ${what}`);
  faults.forEach(f => console.log(`  ${f}`));
}

for (const page of words) {
  for (const colorScheme of ['light', 'dark']) {
    for (const [width, height] of [[1280, 800], [420, 800]]) {
      const faults = [];
      const context = await browser.newContext({ viewport: { width, height }, colorScheme, bypassCSP: true });
      const tab = await context.newPage();
      const url = pathToFileURL(resolve(page)).href;
      tab.on('request', r => r.url() !== url && faults.push(`it asks for ${r.url()}`));
      tab.on('dialog', d => { faults.push(`a script has run: ${d.message()}`); d.dismiss(); });
      tab.on('console', m => m.type() === 'error' && faults.push(m.text()));
      await tab.goto(url);
      if (shots)
        await tab.screenshot({ path: join(shots, `${basename(page, '.html')}-${colorScheme}-${width}.png`), fullPage: width === 1280 });
      faults.push(...await tab.evaluate(() => {
        const root = document.documentElement;
        const found = root.scrollWidth > root.clientWidth ? [`it scrolls sideways: ${root.scrollWidth} of ${root.clientWidth}`] : [];
        if (document.querySelector('script, iframe, object, embed, link, img'))
          found.push('it holds an element that could load or run something');
        const blocks = [...document.querySelectorAll('h1, h2, h3, p, dl, table, ul')].map(e => [e, e.getBoundingClientRect()]);
        for (let i = 1; i < blocks.length; i++) {
          const [[above, one], [below, two]] = [blocks[i - 1], blocks[i]];
          if (!above.contains(below) && two.top < one.bottom - 1)
            found.push(`${below.tagName} lies over ${above.tagName}: ${below.textContent.slice(0, 40)}`);
        }
        return found;
      }));
      await tab.evaluate(axe);
      const result = await tab.evaluate(() => window.axe.run());
      faults.push(...result.violations.map(v => `axe: ${v.id}: ${v.help} (${v.nodes[0].html.slice(0, 100)})`));
      if (result.passes.length < 10)
        faults.push(`axe has looked at ${result.passes.length} rules only`);
      tell(`${basename(page)}, ${colorScheme}, ${width} pixels`, faults);
      await context.close();
    }
  }
}

await browser.close();
console.log(`${passed} passed, ${failed} failed`);
process.exit(failed === 0 && passed > 0 ? 0 : 1);
