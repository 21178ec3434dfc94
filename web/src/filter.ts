/** One term of a filter: key=value[,value], or a plain word under the empty key. */
export interface Term {
  key: string
  values: string[]
}

const operators = ['or', 'not', 'and']

/** The parts of a filter between spaces outside quotes. */
function partsOf(where: string): string[] {
  return where.match(/(?:[^\s"]|"[^"]*")+/g) ?? []
}

/** Whether a filter is terms that must all match: no or, not or parentheses join them. */
export function simple(where: string): boolean {
  return partsOf(where).every((part) => {
    const bare = part.replace(/"[^"]*"/g, '')
    return (
      !operators.includes(part.toLowerCase()) &&
      !bare.startsWith('(') &&
      !/^(or|not|and)\(/i.test(bare) &&
      bare.split('(').length >= bare.split(')').length
    )
  })
}

/** A value without its quotes, but where they tell a * that is part of a text from one for any characters. */
function unquoted(value: string): string {
  return value.includes('*') ? value : value.replaceAll('"', '')
}

/** Reads the terms of a simple filter; of another one none. The service reads every filter itself. */
export function parse(where: string): Term[] {
  if (!simple(where)) return []
  return partsOf(where).map((part) => {
    const at = part.search(/[=<>]/)
    const quote = part.indexOf('"')
    if (at < 0 || (quote >= 0 && quote < at)) return { key: '', values: [unquoted(part)] }
    if (part[at] !== '=') return { key: part, values: [] } // a comparison, which stays as it is
    const values = part.slice(at + 1).match(/(?:[^,"]|"[^"]*")+/g) ?? []
    return { key: part.slice(0, at), values: values.map(unquoted) }
  })
}

export function format(terms: Term[]): string {
  const quoted = (v: string) => (/[\s,=()<>!]/.test(v) && !v.includes('"') ? `"${v}"` : v)
  const word = (v: string) => (operators.includes(v.toLowerCase()) ? `"${v}"` : quoted(v))
  return terms
    .filter((t) => t.values.length > 0 || /[<>]/.test(t.key))
    .map((t) => {
      if (t.values.length === 0) return t.key
      return t.key ? `${t.key}=${t.values.map(quoted).join(',')}` : t.values.map(word).join(' ')
    })
    .join(' ')
}

/** The values of a key, or none. */
export function valuesOf(where: string, key: string): string[] {
  return parse(where).find((t) => t.key === key)?.values ?? []
}

/** The filter with the values of a key replaced; no values drop the term. */
export function withValues(where: string, key: string, values: string[]): string {
  if (!simple(where)) return values.length ? `(${where}) ${format([{ key, values }])}` : where
  const terms = parse(where)
  const at = terms.findIndex((t) => t.key === key)
  const rest = terms.filter((t) => t.key !== key)
  rest.splice(at < 0 ? rest.length : Math.min(at, rest.length), 0, { key, values })
  return format(rest)
}

/** The plain words of a filter as one text. Of a filter that is not simple, all of it. */
export function wordsOf(where: string): string {
  return simple(where) ? format(parse(where).filter((t) => t.key === '')) : where
}

/** The filter with its plain words replaced by what was typed, which may be a filter itself. */
export function withWords(where: string, words: string): string {
  if (!simple(where)) return words
  const rest = format(parse(where).filter((t) => t.key !== ''))
  return rest && !simple(words) ? `${rest} (${words})` : `${rest} ${words}`.trim()
}
