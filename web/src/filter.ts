/** One term of a filter: key=value[,value], or a plain word under the empty key. */
export interface Term {
  key: string
  values: string[]
}

/** Reads the grammar that the API and the command line read too. */
export function parse(where: string): Term[] {
  const parts = where.match(/(?:[^\s"]|"[^"]*")+/g) ?? []
  return parts.map((part) => {
    const at = part.indexOf('=')
    if (at < 0) return { key: '', values: [part.replaceAll('"', '')] }
    const values = part.slice(at + 1).match(/(?:[^,"]|"[^"]*")+/g) ?? []
    return { key: part.slice(0, at), values: values.map((v) => v.replaceAll('"', '')) }
  })
}

export function format(terms: Term[]): string {
  const quoted = (v: string) => (/[\s,=]/.test(v) ? `"${v}"` : v)
  return terms
    .filter((t) => t.values.length > 0)
    .map((t) => (t.key ? `${t.key}=` : '') + t.values.map(quoted).join(','))
    .join(' ')
}

/** The values of a key, or none. */
export function valuesOf(where: string, key: string): string[] {
  return parse(where).find((t) => t.key === key)?.values ?? []
}

/** The filter with the values of a key replaced; no values drop the term. */
export function withValues(where: string, key: string, values: string[]): string {
  const terms = parse(where)
  const at = terms.findIndex((t) => t.key === key)
  const rest = terms.filter((t) => t.key !== key)
  rest.splice(at < 0 ? rest.length : Math.min(at, rest.length), 0, { key, values })
  return format(rest)
}

/** The plain words of a filter as one text. */
export function wordsOf(where: string): string {
  return format(parse(where).filter((t) => t.key === ''))
}

/** The filter with its plain words replaced. */
export function withWords(where: string, words: string): string {
  const rest = parse(where).filter((t) => t.key !== '')
  return format([...rest, ...parse(words.replaceAll('=', ' ')).filter((t) => t.key === '')])
}
