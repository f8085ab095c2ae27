/** A map for values that can be computed again: it is emptied when it is full, so that memory stays bounded. */
export class BoundedMap<K, V> extends Map<K, V> {
  constructor(private readonly most: number) {
    super();
  }

  override set(key: K, value: V): this {
    if (this.size >= this.most && !this.has(key)) this.clear();
    return super.set(key, value);
  }
}
