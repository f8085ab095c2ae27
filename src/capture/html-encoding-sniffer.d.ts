/** The name of the encoding that a browser would read these bytes with. */
export default function sniff(
  bytes: Uint8Array,
  options?: { xml?: boolean; transportLayerEncodingLabel?: string; defaultEncoding?: string },
): string;
