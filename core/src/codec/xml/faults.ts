import { escapePointer } from '../../schema';

/** A fault found in a message against its schema. `pointer` is an RFC 6901 pointer into the JSON form. */
export interface ShapeFault {
  readonly pointer: string;
  readonly words: string;
  readonly kind: 'unknown' | 'missing' | 'type' | 'choice' | 'order';
}

/** Faults of one message; beyond this many nobody reads on, and a huge wrong message must not become a huge list. */
const MOST = 1000;

/** Where a codec is in the JSON form, and what it found there. */
export class FaultList {
  readonly faults: ShapeFault[] = [];
  private readonly path: (string | number)[] = [];
  private length = 0;

  constructor(private readonly base = '') {}

  enter(name: string | number): void {
    this.path[this.length++] = name;
  }

  leave(): void {
    this.length--;
  }

  pointer(name?: string): string {
    let out = this.base;
    for (let i = 0; i < this.length; i++) out += `/${escapePointer(String(this.path[i]))}`;
    return name === undefined ? out : `${out}/${escapePointer(name)}`;
  }

  tell(kind: ShapeFault['kind'], words: string, name?: string): void {
    if (this.faults.length < MOST) this.faults.push({ pointer: this.pointer(name), words, kind });
  }
}
