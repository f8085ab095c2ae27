import type { PageDocument } from './document.js';
import type { Page, Site } from './page.js';

/** The pages as one visitor sees them. */
export interface View {
  site: Site;
  open: (page: Page) => PageDocument;
}
