// What the program beside it uses of Node.
declare const process: { argv: string[] }
