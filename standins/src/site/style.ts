/** The demo site's own style sheet, independent of the console. */
export const STYLE = `
:root{color-scheme:light;font-family:Georgia,'Liberation Serif',serif;color:#26302f;background:#f7f4ec}
*{box-sizing:border-box}body{margin:0}a{color:#1d5263}
header{padding:1.5rem clamp(1rem,4vw,4rem);border-bottom:1px solid #d8d1c0;display:flex;flex-wrap:wrap;gap:.75rem 2rem;align-items:baseline}
.home{font-size:1.4rem;text-decoration:none;color:#26302f}nav{display:flex;flex-wrap:wrap;gap:.25rem 1rem;font-size:.95rem}
main{max-width:72rem;margin:0 auto;padding:2rem clamp(1rem,4vw,4rem)}h1{font-weight:400;font-size:2.6rem;margin:.4rem 0 1rem}h2{font-weight:400}
.lead{font-size:1.2rem;color:#56605e}img,video{max-width:100%;height:auto;display:block;border-radius:2px}video{width:40rem;background:#0a1226}
figure{margin:0 0 2rem}figcaption{margin-top:.5rem;color:#56605e;font-size:.95rem}small{opacity:.8}
.gallery{display:grid;grid-template-columns:repeat(auto-fill,minmax(18rem,1fr));gap:1.5rem;align-items:start}.plan img{width:20rem}
.lights{list-style:none;padding:0;display:grid;grid-template-columns:repeat(auto-fill,minmax(18rem,1fr));gap:1.5rem}
.lights img{aspect-ratio:3/2;object-fit:cover;width:100%}.lights a{text-decoration:none;color:inherit}.lights span{display:block;margin-top:.5rem;font-size:1.15rem}
table{border-collapse:collapse;width:100%}th,td{text-align:left;padding:.5rem .75rem .5rem 0;border-bottom:1px solid #d8d1c0}.figure{text-align:right;font-variant-numeric:tabular-nums}
.written{max-width:44rem;font-size:1.1rem;line-height:1.6}.written::after{content:'';display:block;clear:both}
.align-left{float:left;width:42%;margin:.4rem 1.5rem 1rem 0}.align-right{float:right;width:42%;margin:.4rem 0 1rem 1.5rem}.align-centre{width:60%;margin-inline:auto}
.gallery figure{margin:0}.gallery-rows{display:flex;flex-wrap:wrap;gap:.5rem}.gallery-rows figure{flex:1 1 12rem}.gallery-rows img{width:100%;height:10rem;object-fit:cover}
.gallery-grid img{width:100%;aspect-ratio:1;object-fit:cover}.gallery-sequence{display:block}
details.embed{border:1px solid #d8d1c0;border-radius:2px}.embed summary{cursor:pointer;padding:.5rem}.embed iframe{border:0;display:block;max-width:100%}
uniferum-picker::part(button){font:inherit;padding:.4rem .9rem;border:1px solid #1d5263;border-radius:2px;background:#1d5263;color:#fff;cursor:pointer}
.editor{max-width:44rem}.editor label{display:block}.editor textarea{display:block;width:100%;margin:.3rem 0 1rem;font:inherit;padding:.5rem;border:1px solid #a9a292;border-radius:2px;background:#fffdf7}
footer{padding:2rem clamp(1rem,4vw,4rem);color:#56605e;border-top:1px solid #d8d1c0;margin-top:3rem}
`;
