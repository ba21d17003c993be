import MarkdownIt from 'markdown-it';

/** Markdown as HTML that runs and loads nothing: no HTML of the writer's own, no pictures. */
const markdown = new MarkdownIt({ html: false, linkify: true, breaks: true }).disable('image');
const plain = markdown.renderer.rules.link_open;
markdown.renderer.rules.link_open = (tokens, at, options, env, self) => {
  tokens[at]?.attrSet('rel', 'noreferrer');
  return plain ? plain(tokens, at, options, env, self) : self.renderToken(tokens, at, options);
};

export function htmlOf(text: string): string {
  return markdown.render(text);
}
