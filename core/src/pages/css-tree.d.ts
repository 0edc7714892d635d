declare module 'css-tree/tokenizer' {
  export const tokenTypes: Record<
    | 'AtKeyword'
    | 'Function'
    | 'LeftCurlyBracket'
    | 'LeftParenthesis'
    | 'RightParenthesis'
    | 'Semicolon'
    | 'String'
    | 'Url',
    number
  >;
  export function tokenize(source: string, onToken: (type: number, from: number, to: number) => void): void;
}

declare module 'css-tree/utils' {
  export const url: { decode(token: string): string };
  export const string: { decode(token: string): string };
}
