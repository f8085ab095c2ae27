/** A map for what is worked out again if it is missing: it empties itself when it is full, so that no program grows by it. */
export class BoundedMap<K, V> extends Map<K, V> {
  constructor(private readonly most: number) {
    super();
  }

  override set(key: K, value: V): this {
    if (this.size >= this.most && !this.has(key)) this.clear();
    return super.set(key, value);
  }
}
