import Markdown from 'react-markdown'

/** Markdown set for reading: no raw HTML, no images, links that say where they go and open apart. */
export default function MarkdownView({ text }: { text: string }) {
  return (
    <div className="border-l-2 border-rule-strong px-3 py-1 font-serif text-base [&_code]:font-mono [&_code]:text-sm [&_h1]:text-xl [&_h2]:text-lg [&_li]:ml-5 [&_ol]:list-decimal [&_p]:my-2 [&_ul]:list-disc">
      <Markdown
        skipHtml
        disallowedElements={['img']}
        components={{
          a: ({ href, children }) => (
            <a
              href={href}
              title={href}
              target="_blank"
              rel="noreferrer noopener"
              className="underline"
            >
              {children}
            </a>
          ),
        }}
      >
        {text}
      </Markdown>
    </div>
  )
}
