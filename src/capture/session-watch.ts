import { attribute, elementsIn, readDocument } from '../core/page/document.js';
import { compileMatcher } from '../core/page/elements.js';
import { readWords } from '../core/page/site-words.js';

/** A page as it was served, to a visitor or to a guest. */
export interface ServedPage {
  /** The address after redirects. */
  url: string;
  status: number;
  html: string;
}

/** How a page is requested again, as the visitor or as a guest; null if it cannot be fetched. */
export type Ask = (address: string, as: 'visitor' | 'guest') => Promise<ServedPage | null>;

/** The session of a visitor has ended; the message says how that was noticed. */
export class SessionEnded extends Error {}

const signInPath = /(^|[/_.-])(log-?in|sign-?in|sign_in|logon|sso)([/_.-]|$)/i;
export const isSignIn = (address: string) => signInPath.test(new URL(address).pathname);

/** Notices when a visitor's session ends, or was never valid. */
export class SessionWatch {
  private first: ServedPage | null = null;
  private readonly marker: ((html: string) => boolean) | null;

  /** `marker`: a selector that matches on a visitor's pages while the session lasts. */
  constructor(
    marker: string | undefined,
    private readonly ask: Ask,
  ) {
    const match = marker === undefined ? null : compileMatcher(marker);
    this.marker = match && ((html) => match(readDocument(html)).length > 0);
  }

  /**
   * Looks at a page that was requested as the visitor. Returns why it is not the visitor's page, though the session lasts;
   * null if it is. Throws SessionEnded.
   */
  async see(asked: string, page: ServedPage): Promise<string | null> {
    const isFirst = this.first === null;
    this.first ??= page;
    if (isSignIn(page.url) && !isSignIn(asked)) return this.suspect(`${asked} redirects to ${page.url}`, isFirst);
    if (this.marker) {
      if (!this.marker(page.html)) await this.suspect(`${page.url} lacks the marker`, isFirst);
      return null;
    }
    if (isSignIn(page.url) || !hasPasswordField(page.html)) return null;
    const guest = await this.ask(page.url, 'guest');
    if (guest && guest.url === page.url && guest.status < 400 && hasPasswordField(guest.html))
      await this.suspect(`${page.url} shows the same password field as to a guest`, isFirst);
    return null;
  }

  /** A redirect to the sign-in page of another address. Throws SessionEnded unless the session lasts. */
  redirected = (asked: string, to: string) => this.suspect(`${asked} redirects to ${to}`, this.first === null);

  /** Asks for the first page once more: a single page may be closed to a visitor whose session lasts. */
  private async suspect(why: string, isFirst: boolean): Promise<string> {
    const { first } = this;
    if (isFirst || !first) throw new SessionEnded(why);
    const now = await this.ask(first.url, 'visitor');
    const lasts = now && (this.marker ? this.marker(now.html) : await this.isVisitors(now, first));
    if (!lasts) throw new SessionEnded(why);
    return 'it asks the visitor to sign in';
  }

  /** Whether an answer for the first page is the visitor's, which differs from the guest's. */
  private async isVisitors(now: ServedPage, first: ServedPage): Promise<boolean> {
    const guest = await this.ask(first.url, 'guest');
    return now.url === first.url && guest !== null && lookOf(now) !== lookOf(guest);
  }

  /** Compares the first page once more, at the end of a run. Throws SessionEnded if it has become the guest's page. */
  async finish(): Promise<{ sameAsGuest: boolean }> {
    if (!this.first) return { sameAsGuest: false };
    const guest = await this.ask(this.first.url, 'guest');
    const start = lookOf(this.first);
    if (!guest || lookOf(guest) === start) return { sameAsGuest: guest !== null };
    const now = await this.ask(this.first.url, 'visitor');
    if (now && (lookOf(now) === lookOf(guest) || (isSignIn(now.url) && !isSignIn(this.first.url))))
      throw new SessionEnded(`${this.first.url} is now the page that a guest gets`);
    return { sameAsGuest: false };
  }
}

/** The tags, classes and IDs of a page: the same for two requests of one page, whatever numbers and texts differ. */
const lookOf = ({ url, html }: ServedPage) => url + readWords(html);

const hasPasswordField = (html: string) =>
  /type\s*=\s*["']?password/i.test(html) &&
  elementsIn(readDocument(html).root, 'input').some(
    (input) => attribute(input, 'type')?.trim().toLowerCase() === 'password',
  );
