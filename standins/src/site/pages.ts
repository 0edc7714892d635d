import { formatBytes } from '@uniferum/core/intake';
import type { Asset } from '@uniferum/core/library';
import { imageSources, type SitePageAnswer } from '@uniferum/core/pages';
import { Html, html } from './html.js';
import type { Shown } from './library.js';
import { STYLE } from './style.js';

interface Light {
  slug: string;
  name: string;
}

/** The whole of a page. */
export function layout(title: string, lights: readonly Light[], body: Html): string {
  const page = html`<!doctype html>
<html lang="en">
<head><meta charset="utf-8"><meta name="viewport" content="width=device-width, initial-scale=1"><title>${title} · The Skerry Light Trust</title><style>${new Html(STYLE)}</style></head>
<body>
<header><a class="home" href="/">The Skerry Light Trust</a><nav>${lights.map(({ slug, name }) => html`<a href="/lights/${slug}">${name}</a>`)}<a href="/news">News</a><a href="/chart-room">Chart room</a></nav></header>
<main>${body}</main>
<footer>Eleven retired lighthouses on the Farrow Isles, looked after by people with wet boots. <a href="/editor">Write a notice</a></footer>
</body></html>`;
  return page.text;
}

export function homePage(lights: readonly { light: Light; cover: Asset | null }[]): Html {
  return html`<h1>Eleven lights</h1><p class="lead">Retired, and still lit now and then.</p>
<ul class="lights">${lights.map(({ light, cover }) => html`<li><a href="/lights/${light.slug}">${cover ? picture(cover, '(min-width: 60rem) 22rem, 45vw') : null}<span>${light.name}</span></a></li>`)}</ul>`;
}

export function lightPage(light: Light, { pictures, plans }: Shown): Html {
  const [first, ...rest] = pictures;
  return html`<h1>${light.name}</h1>
${first ? html`<figure class="head">${picture(first, '(min-width: 70rem) 68rem, 100vw')}<figcaption>${first.caption} ${credit(first)}</figcaption></figure>` : html`<p>There is no picture of this light yet.</p>`}
<div class="gallery">${rest.map((asset) => html`<figure>${picture(asset, '(min-width: 60rem) 22rem, 100vw')}<figcaption>${asset.title} ${credit(asset)}</figcaption></figure>`)}</div>
${plans.map((plan) => html`<figure class="plan"><a href="${plan.url}">${picture(plan, '20rem')}</a><figcaption>Plan of the tower, <a href="${plan.url}">as a drawing</a> of ${formatBytes(plan.bytes)}</figcaption></figure>`)}`;
}

export function newsPage({ pictures }: Shown): Html {
  return html`<h1>News</h1>${pictures.map((asset) => html`<article><h2>${asset.title ?? asset.name}</h2>${picture(asset, '(min-width: 60rem) 40rem, 100vw')}<p>${asset.caption}</p></article>`)}`;
}

export function chartRoomPage(papers: readonly Asset[], media: readonly Asset[]): Html {
  return html`<h1>Chart room</h1><p class="lead">Papers to take home, and things to hear and see.</p>
${media.map((asset) => html`<figure>${asset.kind === 'video' ? html`<video controls preload="metadata" src="${asset.url}"></video>` : html`<audio controls preload="none" src="${asset.url}"></audio>`}<figcaption>${asset.title ?? asset.name}</figcaption></figure>`)}
<table><thead><tr><th>Paper</th><th>Type</th><th class="figure">Size</th></tr></thead><tbody>${papers.map(
    (asset) =>
      html`<tr><td><a href="${asset.url}">${asset.title ?? asset.name}</a></td><td>${asset.mime}</td><td class="figure">${formatBytes(asset.bytes)}</td></tr>`,
  )}</tbody></table>`;
}

/** A page as it was written: its HTML is safe, as Uniferum answers it. */
export function writtenPage({
  title,
  html: body,
  slots,
}: Pick<SitePageAnswer, 'title' | 'html' | 'slots'>): Html {
  const [first] = slots.pictures ?? [];
  const downloads = slots.downloads ?? [];
  return html`<article class="written"><h1>${title}</h1>
${first && !body.includes('<img') ? html`<figure>${picture(first, '(min-width: 60rem) 40rem, 100vw')}</figure>` : null}
${new Html(body)}
${downloads.length > 0 ? html`<h2>Downloads</h2><ul>${downloads.map((asset) => html`<li><a href="${asset.url}">${asset.title ?? asset.name}</a>, ${formatBytes(asset.bytes)}</li>`)}</ul>` : null}</article>`;
}

export function problemPage(title: string, text: string): Html {
  return html`<h1>${title}</h1><p class="lead">${text}</p>`;
}

/** A picture with srcset: every URL comes from the API. */
function picture(asset: Asset, sizes: string): Html {
  const { src, srcset, width, height } = imageSources(asset);
  return html`<img src="${src}" ${srcset ? html`srcset="${srcset}" sizes="${sizes}"` : null} ${width && height ? html`width="${width}" height="${height}"` : null} alt="${asset.alt ?? ''}" loading="lazy" ${
    asset.placeholder ? html`style="background:url('${asset.placeholder}') center/cover"` : null
  }>`;
}

function credit(asset: Asset): Html | null {
  return asset.credit === null ? null : html`<small>Picture: ${asset.credit}</small>`;
}
