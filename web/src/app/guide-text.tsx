import Markdown from 'react-markdown';
import type { GuidePageId } from '../parts/guide-pages';

const TEXTS = import.meta.glob<string>('../../../docs/guide/*.md', { query: '?raw', import: 'default', eager: true });
const PICTURES = import.meta.glob<string>('../../../docs/screenshots/{set-up,rig,run,bench,align,logbook}.png', {
  query: '?url',
  import: 'default',
  eager: true,
});

/** One page of the guide, as it is in `docs/guide`. */
export function GuideText({ page }: { page: GuidePageId }) {
  return (
    <Markdown
      components={{
        h1: ({ children }) => <h3 className="mb-2 text-lg font-bold">{children}</h3>,
        p: ({ children }) => <p className="mb-3">{children}</p>,
        ol: ({ children }) => <ol className="mb-3 flex list-decimal flex-col gap-1.5 pl-5">{children}</ol>,
        ul: ({ children }) => <ul className="mb-3 flex list-disc flex-col gap-1.5 pl-5">{children}</ul>,
        code: ({ children }) => <code className="font-mono text-xs">{children}</code>,
        img: ({ alt, src }) => <img alt={alt} src={pictureAt(src)} className="w-full border border-rule" />,
      }}
    >
      {TEXTS[`../../../docs/guide/${page}.md`]}
    </Markdown>
  );
}

function pictureAt(src: string | Blob | undefined): string | undefined {
  return typeof src === 'string' ? PICTURES[src.replace('../screenshots/', '../../../docs/screenshots/')] : undefined;
}
