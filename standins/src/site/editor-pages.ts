import { type Html, html } from './html.js';

/** An editor without any framework: the picker's HTML goes to where the cursor is. */
export function plainEditorPage(uniferumUrl: string): Html {
  return html`<h1>Write a notice</h1>
<p class="lead">A page of plain HTML with the picker in it. <a href="/editor/react">The same with React</a></p>
<script src="${uniferumUrl}/picker.js"></script>
<form class="editor" id="editor">
<label>Notice <textarea name="text" rows="6"></textarea></label>
<uniferum-picker token-url="/picker-token" filter="kind:image" label="Add a picture"></uniferum-picker>
<h2>Preview</h2>
<article id="preview"></article>
</form>
<script type="module" src="/editor.js"></script>`;
}

/** The script of that page. */
export const PLAIN_EDITOR_SCRIPT = `const { text } = document.getElementById('editor').elements;
const preview = document.getElementById('preview');
const show = () => { preview.innerHTML = text.value; };

document.querySelector('uniferum-picker').addEventListener('uniferum-pick', ({ detail }) => {
  text.setRangeText(detail.html, text.selectionStart, text.selectionEnd, 'end');
  text.focus();
  show();
});
text.addEventListener('input', show);
`;

/** The same with React; see `browser/react-editor.tsx`. */
export function reactEditorPage(uniferumUrl: string): Html {
  return html`<h1>Write a notice</h1>
<p class="lead">An editor made with React, with the picker in it. <a href="/editor">The same in plain HTML</a></p>
<script src="${uniferumUrl}/picker.js"></script>
<div class="editor" id="editor"></div>
<script type="module" src="/browser/react-editor.js"></script>`;
}
