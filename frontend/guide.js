// Renders docs/guide.md for the application: node guide.js GUIDE PAGE. Chapters, and the groups that
// paragraphs or points begin with (**Grain** …, *Film* …), get names that the screens lead to.
import process from "node:process";
import { createHash } from "node:crypto";
import { readFileSync, writeFileSync } from "node:fs";
import { Marked } from "marked";

const [guide, page] = process.argv.slice(2);
const text = readFileSync(guide, "utf8");
const slug = (words) => words.toLowerCase().replace(/[^a-z0-9]+/g, "-").replace(/^-|-$/g, "");
const names = new Set();
let chapter = "";

/** A name that no other place has, or none. */
function named(words) {
  const name = slug(words);
  if (!name || names.has(name)) return "";
  names.add(name);
  return ` id="${name}"`;
}

/** The name of what begins with an emphasised word. */
function begun(tokens) {
  const first = tokens?.[0]?.tokens && tokens[0].type === "text" ? tokens[0].tokens[0] : tokens?.[0];
  return ["strong", "em"].includes(first?.type) ? named(`${chapter} ${first.text}`) : "";
}

const chapters = [];
const marked = new Marked({
  renderer: {
    heading({ tokens, depth, text: words }) {
      if (depth === 2) {
        chapter = words;
        chapters.push([slug(words), words]);
      }
      return `<h${depth}${named(words)}>${this.parser.parseInline(tokens)}</h${depth}>\n`;
    },
    paragraph({ tokens }) {
      return `<p${begun(tokens)}>${this.parser.parseInline(tokens)}</p>\n`;
    },
    listitem(item) {
      return `<li${begun(item.tokens)}>${this.parser.parse(item.tokens, item.loose)}</li>\n`;
    },
    image({ href, text: words }) {
      const name = href.replace(/^screenshots\//, "").replace(/\.png$/, ".webp");
      return `<img src="@@${name}@@" alt="${words}" loading="lazy" width="1280" height="800">`;
    },
  },
});
const body = marked.parse(text).replace(/\{/g, "&#123;").replace(/@@([\w.-]+)@@/g, "{{ asset('guide/$1') }}");
const list = chapters.map(([name, words]) => `  <li><a href="#${name}">${words}</a></li>`).join("\n");
const sum = createHash("sha256").update(text).digest("hex");
writeFileSync(page, `{# made of docs/guide.md by bin/refresh-assets: ${sum} #}\n<nav aria-label="Chapters"><ol>\n${list}\n</ol></nav>\n<article>\n${body}</article>\n`);
