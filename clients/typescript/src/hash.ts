const table = Array.from({ length: 256 }, (_, n) => {
  let c = n
  for (let i = 0; i < 8; i++) c = c & 1 ? (c >>> 1) ^ 0xedb88320 : c >>> 1
  return c
})

/** The CRC-32 (IEEE 802.3) of a text's UTF-8 bytes. */
export function crc32(text: string): number {
  let c = 0xffffffff
  for (const byte of new TextEncoder().encode(text)) c = (c >>> 8) ^ (table[(c ^ byte) & 255] ?? 0)
  return ~c >>> 0
}
