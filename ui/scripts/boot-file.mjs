// The page of SvelteKit starts itself with a script inside the HTML. Our content
// security policy allows none, so the build moves it into a file of its own.
import { createHash } from 'node:crypto';
import { readFileSync, rmSync, writeFileSync } from 'node:fs';

const page = 'build/index.html';
const html = readFileSync(page, 'utf8');
const inline = [...html.matchAll(/<script>([\s\S]*?)<\/script>/g)];
if (inline.length !== 1) {
  throw new Error(`expected one inline script in ${page}, found ${inline.length}`);
}
const [whole, script] = inline[0];
const name = `_app/boot-${createHash('sha256').update(script).digest('hex').slice(0, 12)}.js`;
writeFileSync(`build/${name}`, script);
writeFileSync(page, html.replace(whole, `<script src="/${name}"></script>`));
for (const packed of ['build/index.html.br', 'build/index.html.gz']) {
  rmSync(packed, { force: true });
}
writeFileSync('build/.keep', '');
