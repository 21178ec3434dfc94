// Runs the console's filter on lines of JSON, {"call": name, "with": arguments}, and prints what it answers, a line
// each. The Go test beside it compares.
import { readFileSync } from 'node:fs'
import ts from 'typescript'

const source = readFileSync(new URL('../src/filter.ts', import.meta.url), 'utf8')
const { outputText } = ts.transpileModule(source, {
  compilerOptions: { module: ts.ModuleKind.ESNext, target: ts.ScriptTarget.ESNext },
})
const filter = await import('data:text/javascript,' + encodeURIComponent(outputText))
for (const line of readFileSync(0, 'utf8').split('\n').filter(Boolean)) {
  const { call, with: args } = JSON.parse(line)
  console.log(JSON.stringify(call === 'again' ? filter.format(filter.parse(...args)) : filter[call](...args)))
}
