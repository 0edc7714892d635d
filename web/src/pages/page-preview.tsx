import { useEffect, useRef } from 'react';

/** What a site is likely to give its text. It applies inside of the preview only. */
const SHEET = `
  :host { all: initial; display: block; }
  main { max-width: 42rem; margin: 0 auto; padding: 2rem 1.5rem 4rem; font: 17px/1.6 'Instrument Sans Variable', sans-serif; color: #1b2a33; background: #fff; }
  h1 { font-size: 2rem; line-height: 1.2; } h2 { font-size: 1.4rem; }
  img, video { max-width: 100%; height: auto; display: block; }
  figure { margin: 1.5rem 0; } figcaption { font-size: .85rem; color: #55646d; margin-top: .3rem; }
  .align-left { float: left; width: 40%; margin: .3rem 1.5rem 1rem 0; }
  .align-right { float: right; width: 40%; margin: .3rem 0 1rem 1.5rem; }
  .align-centre { width: 60%; margin-inline: auto; }
  .gallery { display: flex; flex-wrap: wrap; gap: .5rem; margin: 1.5rem 0; } .gallery figure { margin: 0; }
  .gallery-rows figure { flex: 1 1 30%; } .gallery-rows img { width: 100%; height: 11rem; object-fit: cover; }
  .gallery-grid { display: grid; grid-template-columns: repeat(3, 1fr); } .gallery-grid img { width: 100%; aspect-ratio: 1; object-fit: cover; }
  .gallery-sequence { flex-direction: column; }
  details.embed { border: 1px solid #c9d2d6; margin: 1.5rem 0; } .embed summary { cursor: pointer; padding: .5rem; } .embed iframe { border: 0; max-width: 100%; }
`;

/** A page as the site shows it, apart from the console's own styles. The server has left nothing in it that runs. */
export function PagePreview({ html, title }: { html: string; title: string }) {
  const host = useRef<HTMLDivElement>(null);
  useEffect(() => {
    if (!host.current) return;
    const root = host.current.shadowRoot ?? host.current.attachShadow({ mode: 'open' });
    const sheet = new CSSStyleSheet();
    sheet.replaceSync(SHEET);
    root.adoptedStyleSheets = [sheet];
    const main = document.createElement('main');
    main.innerHTML = html;
    const heading = document.createElement('h1');
    heading.textContent = title;
    main.prepend(heading);
    root.replaceChildren(main);
  }, [html, title]);
  return (
    <section aria-label="Preview" className="min-h-0 flex-1 overflow-y-auto bg-ground p-6">
      <div ref={host} />
    </section>
  );
}
