// Makes the table of docs/mutants.md of what scripts/mutate.sh left in .data/mutants.
import { readdirSync, readFileSync, writeFileSync } from 'node:fs';

const dir = '.data/mutants', page = 'docs/mutants.md', mark = '## What survives, and why';
const rows = [], sums = { core: [0, 0], internal: [0, 0] };
let survivors = '';
for (const file of readdirSync(dir).filter((f) => f.endsWith('.json')).sort()) {
	const name = file.replace('.json', '').replaceAll('_', '/');
	const result = JSON.parse(readFileSync(`${dir}/${file}`, 'utf8'));
	const all = result.files.flatMap((f) => f.mutations.map((m) => ({ ...m, file: f.file_name })));
	const count = (...status) => all.filter((m) => status.includes(m.status)).length;
	const noticed = count('KILLED'), slow = count('TIMED OUT'), lived = count('LIVED'), unrun = count('NOT COVERED');
	const sum = sums[name.split('/')[0]];
	sum[0] += noticed;
	sum[1] += lived;
	rows.push(`| ${name} | ${noticed} | ${lived} | ${slow} | ${unrun} | ${share(noticed, lived)} |`);
	const living = all.filter((m) => m.status === 'LIVED').map((m) => `${m.file}:${m.line}:${m.column} ${m.type.toLowerCase().replaceAll('_', ' ')}`);
	if (living.length) survivors += `- ${name}: ${living.join('; ')}\n`;
}
function share(noticed, lived) {
	return noticed + lived ? `${((100 * noticed) / (noticed + lived)).toFixed(1)} %` : '–';
}
const before = readFileSync(page, 'utf8');
const kept = before.includes(mark) ? before.slice(before.indexOf(mark)) : `${mark}\n`;
writeFileSync(page, `# Small breaks, and whether the tests notice

Written by \`make mutate\`: each comparison turned, each bound moved, each sign changed, one at a time, and the package's own tests run. "Not run" are breaks in lines that these tests do not reach, and in constants, which the tool cannot tell from them; limits that are constants are asserted on both sides by the tests beside them. "Out of time" are those whose tests did not end, which a busy machine makes of them too; they count for neither side.

| package | noticed | survived | out of time | not run | of those that ended |
|---|---|---|---|---|---|
${rows.join('\n')}
| **core** | ${sums.core[0]} | ${sums.core[1]} | | | **${share(...sums.core)}** (to reach 92 %) |
| **the parts of the work** | ${sums.internal[0]} | ${sums.internal[1]} | | | **${share(...sums.internal)}** (to reach 80 %) |

${kept.trimEnd()}
`);
writeFileSync(`${dir}/survivors.txt`, survivors);
