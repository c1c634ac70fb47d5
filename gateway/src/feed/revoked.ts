export interface RevokedToken {
  readonly jti: string;
  /** Seconds since 1970 at which it would have ended by itself. */
  readonly until: number;
}

const AGAIN_MS = 1_000;
const MOST = 100_000;

/** Tokens that were revoked here, told to the studio so that other gateways refuse them too; told again until it has heard. */
export class RevokedTokens {
  private waiting: RevokedToken[] = [];
  private timer: NodeJS.Timeout | undefined;
  private telling = false;

  constructor(private readonly tell: (tokens: readonly RevokedToken[]) => Promise<void>) {}

  add(token: RevokedToken): void {
    if (this.waiting.length >= MOST) this.waiting.shift();
    this.waiting.push(token);
    void this.send();
  }

  close(): void {
    clearTimeout(this.timer);
    this.waiting = [];
  }

  private async send(): Promise<void> {
    if (this.telling || !this.waiting.length) return;
    this.telling = true;
    const batch = this.waiting.slice(0, 1000);
    try {
      await this.tell(batch);
      this.waiting = this.waiting.slice(batch.length);
    } catch {
      clearTimeout(this.timer);
      this.timer = setTimeout(() => void this.send(), AGAIN_MS).unref();
      return;
    } finally {
      this.telling = false;
    }
    await this.send();
  }
}
