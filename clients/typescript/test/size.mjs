// Prints how many bytes of a page the client takes, minified, and then compressed with gzip and Brotli:
// node size.mjs ROLLDOWN, with the module that bundles.
import { brotliCompressSync, gzipSync } from 'node:zlib'
const { rolldown } = await import(process.argv[2])
const src = new URL('../src/', import.meta.url).pathname
for (const [what, names] of [
  ['Connection, with JSON', ['Connection']],
  ['and one’s own player drawn ahead', ['Connection', 'ahead']],
  ['and CBOR', ['Connection', 'ahead', 'cbor']],
]) {
  const text = `${names.map((n) => `import { ${n} } from '${src}${n === 'cbor' ? n : 'index'}.ts'`).join('\n')}\nglobalThis.all = [${names}]`
  const entry = { name: 'entry', resolveId: (id) => (id === 'entry' ? id : null), load: (id) => (id === 'entry' ? text : null) }
  const bundle = await rolldown({ input: 'entry', logLevel: 'silent', plugins: [entry] })
  const { code } = (await bundle.generate({ minify: true })).output[0]
  console.log([what, code.length, gzipSync(code, { level: 9 }).length, brotliCompressSync(code).length].join('\t'))
}
