import { execSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import ts from 'typescript';

const ROOT = join(__dirname, '../..');
const tracked = (pattern: string): string[] =>
  execSync(`git ls-files --cached --others --exclude-standard ${pattern}`, { cwd: ROOT, encoding: 'utf8' })
    .split('\n')
    .filter(Boolean);

interface Text {
  file: string;
  text: string;
}

const parse = (file: string): ts.SourceFile =>
  ts.createSourceFile(file, readFileSync(join(ROOT, file), 'utf8'), ts.ScriptTarget.Latest, true);

const plain = (text: string): string => text.replace(/\s+/g, ' ').trim();

/** Elements whose text is a label: something to press, choose or fill in, or a heading. */
const LABELS = new Set(['button', 'Button', 'ConfirmButton', 'label', 'th', 'option', 'legend', 'h2', 'h3', 'dt']);
const LONGEST_LABEL = 24;

/** Longer labels, each for a reason. */
const LONG_LABELS: Record<string, string> = {
  'Hub clock minus ms round trip': 'the beat reference is defined by this measured figure',
  'Repeat with longer takes until every result is within ± ms': 'a sentence with a field in it',
  'Boathouse interface (stand-in)': 'the name of the demo’s interface',
};

/** The labels of a file that are written out; expressions inside them are left out. */
function labelsOf(file: string): Text[] {
  const found: Text[] = [];
  const visit = (node: ts.Node): void => {
    if (ts.isJsxElement(node) && LABELS.has(node.openingElement.tagName.getText())) {
      const text = plain(node.children.map((child) => (ts.isJsxText(child) ? child.text : ' ')).join(''));
      if (text) found.push({ file, text });
    }
    // On a figure, the label is the text alternative of a picture.
    if (
      ts.isJsxAttribute(node) &&
      node.name.getText() === 'label' &&
      !/Figure$/.test(node.parent.parent.tagName.getText())
    )
      if (node.initializer && ts.isStringLiteral(node.initializer)) found.push({ file, text: node.initializer.text });
    ts.forEachChild(node, visit);
  };
  visit(parse(file));
  return found;
}

/** Everything in a source file that is meant for people: strings, text in the interface, comments. */
function proseOf(file: string): Text[] {
  const source = parse(file);
  const found: Text[] = [];
  const visit = (node: ts.Node): void => {
    if (ts.isStringLiteralLike(node) || ts.isJsxText(node)) found.push({ file, text: plain(node.text) });
    else if (ts.isTemplateExpression(node))
      found.push({
        file,
        text: plain(
          [node.head, ...node.templateSpans.map(({ literal }) => literal)].map((part) => part.text).join(' '),
        ),
      });
    for (const range of ts.getLeadingCommentRanges(source.text, node.getFullStart()) ?? [])
      found.push({ file, text: plain(source.text.slice(range.pos, range.end).replace(/\n\s*\*/g, ' ')) });
    ts.forEachChild(node, visit);
  };
  visit(source);
  return found;
}

/** Phrases that read like a translation, and what to write instead. */
const BANNED: [RegExp, string][] = [
  [/\bhangs? on\b/i, 'is connected through'],
  [/\bstands? at\b/i, 'is at, position'],
  [/\b(made|measured|started|drawn|written) anew\b/i, 'again'],
  [/\b(is|are|was|were|being) told\b/i, 'is sent, receives'],
  [/\blands? elsewhere\b/i, 'varies'],
  [/\b(not|to) be believed\b|\bbelievable\b/i, 'reliable'],
  [/\bnothing hears\b|\bheard by nothing\b/i, 'without an audio return'],
  [/\bnobody\b.*\bhears\b/i, 'without an audio return'],
  [/\b(take|takes|taken) down\b/i, 'note, enter'],
  [/\btakes its time\b/i, 'syncs to'],
  [/\bits feed\b/i, 'sync stream'],
  [/\bwho leads\b/i, 'leader'],
  [/\b(typed|type) it in\b/i, 'entered'],
  [/\bset aside\b/i, 'quarantined, moved to damaged records'],
  [/\bport (was away|came back)\b/i, 'was reconnected'],
  [/\bon its place\b|\bon their place\b/i, 'in time'],
];

const sources = tracked("'core/src/**/*.ts' 'server/src/**/*.ts' 'web/src/**/*.ts' 'web/src/**/*.tsx'").filter(
  (file) => file !== 'web/src/wording.test.ts',
);
const readDocument = (file: string): string => readFileSync(join(ROOT, file), 'utf8');
const documents = tracked("'*.md' 'docs/*.md'").map((file) => ({ file, text: readDocument(file) }));

test('labels have at most 24 characters, or a reason to be longer', () => {
  const labels = sources.filter((file) => file.endsWith('.tsx')).flatMap(labelsOf);
  expect(labels.length).toBeGreaterThan(200);
  const long = labels.filter(({ text }) => text.length > LONGEST_LABEL && !(text in LONG_LABELS));
  expect(long).toEqual([]);
  const unused = Object.keys(LONG_LABELS).filter((known) => !labels.some(({ text }) => text === known));
  expect(unused).toEqual([]);
});

test('no text, comment or document uses a phrase that the wording rules ban', () => {
  const prose = [...sources.flatMap(proseOf), ...documents];
  expect(prose.length).toBeGreaterThan(3000);
  const found = prose.flatMap(({ file, text }) =>
    BANNED.filter(([phrase]) => phrase.test(text)).map(([phrase, better]) => ({
      file,
      text: phrase.exec(text)?.[0],
      better,
      near: text.slice(0, 200),
    })),
  );
  expect(found).toEqual([]);
});

test('names in the guide and the README exist in the app', () => {
  const straight = (text: string) => plain(text).replaceAll('’', "'");
  const app = sources.flatMap((file) => [...proseOf(file), ...labelsOf(file)]).map(({ text }) => straight(text));
  const guide = documents.filter(({ file }) => file.startsWith('docs/guide/')).map(({ text }) => text);
  const named = [
    ...guide.flatMap((text) => [...plain(text).matchAll(/\*\*(.+?)\*\*/g)]),
    ...plain(readDocument('README.md')).matchAll(/(?<!\w)_([^_]+)_(?!\w)/g),
  ].map(([, name = '']) => straight(name));
  expect(named.length).toBeGreaterThan(60);
  const example = '12 ms earlier';
  expect(named.filter((name) => name !== example && !app.some((text) => text.includes(name)))).toEqual([]);
});

test('the README explains each question of the Bench', () => {
  const [, ...questions] = readDocument('web/src/views/bench/bench-view.tsx').split(/text: '(?=[^']+\?')/);
  const asked = questions.map((rest) => rest.slice(0, rest.indexOf("'")));
  const rows = [...readDocument('README.md').matchAll(/^\| ([^|]+\?) +\|/gm)].map(([, question]) => question);
  expect(rows.length).toBe(15);
  expect(rows.sort()).toEqual(asked.sort());
});
