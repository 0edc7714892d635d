/** A film of the provider. */
export interface ProvidedFilm {
  slug: string;
  title: string;
  author: string;
  seconds: number;
  /** The hue of its still, in degrees. */
  hue: number;
}

export const FILMS: readonly ProvidedFilm[] = [
  {
    slug: 'winding-the-clockwork',
    title: 'Winding the clockwork at Gannet Head',
    author: 'Isbel Crane',
    seconds: 214,
    hue: 18,
  },
  {
    slug: 'relief-boat',
    title: 'The relief boat in a following sea',
    author: 'Tam Hollin',
    seconds: 96,
    hue: 205,
  },
  {
    slug: 'first-light',
    title: 'First light over the Farrow Isles',
    author: 'Edda Farrow',
    seconds: 341,
    hue: 38,
  },
];

/** The page of a film: its head contains the oEmbed discovery link (oEmbed 1.0, section 4). */
export function filmPage(film: ProvidedFilm, origin: string): string {
  const described = `${origin}/oembed?format=json&amp;url=${encodeURIComponent(`${origin}/films/${film.slug}`)}`;
  return `<!doctype html><html lang="en"><head><meta charset="utf-8"><title>${film.title}</title>
<link rel="alternate" type="application/json+oembed" href="${described}" title="${film.title}"></head>
<body><h1>${film.title}</h1><p>by ${film.author}</p><img src="/stills/${film.slug}.svg" alt=""></body></html>`;
}

/** A film's oEmbed response (oEmbed 1.0, section 2.3.4.2). */
export function describeFilm(film: ProvidedFilm, origin: string): object {
  return {
    version: '1.0',
    type: 'video',
    title: film.title,
    author_name: film.author,
    provider_name: 'Farrow Film',
    provider_url: origin,
    html: `<iframe src="${origin}/films/${film.slug}" width="640" height="360"></iframe>`,
    width: 640,
    height: 360,
    thumbnail_url: `${origin}/stills/${film.slug}.svg`,
    thumbnail_width: 640,
    thumbnail_height: 360,
  };
}

/** A still of a film: sea, sky and a light. */
export function filmStill({ hue }: ProvidedFilm): string {
  return `<svg xmlns="http://www.w3.org/2000/svg" width="640" height="360" viewBox="0 0 640 360"><defs><linearGradient id="sky" x2="0" y2="1"><stop stop-color="hsl(${hue},45%,22%)"/><stop offset="1" stop-color="hsl(${(hue + 20) % 360},70%,72%)"/></linearGradient></defs><rect width="640" height="360" fill="url(#sky)"/><circle cx="${180 + hue}" cy="210" r="34" fill="hsl(${hue},90%,88%)"/><path d="M0 236Q160 226 320 236T640 236V360H0z" fill="hsl(${(hue + 180) % 360},28%,24%)"/><path d="M470 236V120h30v116z" fill="#f4efe6"/><path d="M466 120h38l-6-22h-26z" fill="#8c3a22"/><path d="M485 108 20 60v52z" fill="#fff" opacity=".25"/></svg>`;
}
