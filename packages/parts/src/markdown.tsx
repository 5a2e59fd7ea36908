import ReactMarkdown from 'react-markdown';
import rehypeSanitize, { defaultSchema } from 'rehype-sanitize';
import remarkGfm from 'remark-gfm';

/** Pictures from elsewhere would tell their servers who reads this; they are left out. */
const SCHEMA = { ...defaultSchema, tagNames: (defaultSchema.tagNames ?? []).filter((name) => name !== 'img' && name !== 'input') };

/** Text in Markdown (CommonMark with tables). Markup of HTML in it is shown as text, addresses that run something are dropped. */
export function Markdown({ text }: { readonly text: string }) {
  return (
    <div className="prose">
      <ReactMarkdown
        remarkPlugins={[remarkGfm]}
        rehypePlugins={[[rehypeSanitize, SCHEMA]]}
        components={{
          a: ({ href, children }) => (
            <a href={href} rel="noreferrer noopener">
              {children}
            </a>
          ),
        }}
      >
        {text}
      </ReactMarkdown>
    </div>
  );
}
