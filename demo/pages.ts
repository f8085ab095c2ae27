/** What the demo's pages hold: Saltmere Ferries, a made-up operator of island ferries. */
export interface DemoPage {
  path: string;
  title: string;
  /** The number that the content system gave the page; null if the template forgot its handles. */
  id: number | null;
  /** Journal entries are numbered apart, in hexadecimal. */
  entry?: string;
  classes?: string[];
  bodyId?: string;
  body: string;
}

const card = (href: string, title: string, text: string) =>
  `<article class="card"><h3><a href="${href}">${title}</a></h3><p>${text}</p></article>`;
const cards = (...list: string[]) => `<div class="cards">${list.join('')}</div>`;
const times = (...rows: [string, string, string][]) =>
  `<table class="times"><thead><tr><th>Leaves</th><th>Route</th><th>Arrives</th></tr></thead><tbody>${rows.map((row) => `<tr>${row.map((cell) => `<td>${cell}</td>`).join('')}</tr>`).join('')}</tbody></table>`;
const steps = (current: number) =>
  `<ol class="steps">${['Crossing', 'Passengers', 'Payment', 'Done'].map((name, index) => `<li${index === current ? ' class="current"' : ''}>${name}</li>`).join('')}</ol>`;
const promo = '<div class="promo-field"><label>Promo code <input name="promo" placeholder="Code"></label></div>';
const slide = (title: string, text: string) =>
  `<div class="slide"><h2>${title}</h2><p>${text}</p><a class="button" href="/tickets">Buy tickets</a></div>`;
const hero = (...slides: string[]) => `<section class="hero">${slides.join('')}</section>`;
const notice = '<div class="notice"><p>All sailings run to time.</p></div>';

export const demoPages: DemoPage[] = [
  {
    path: '/',
    title: 'Ferries to the islands',
    id: 1,
    bodyId: 'front',
    classes: ['layout-wide'],
    body:
      hero(
        slide('Four islands, one ticket', 'From Saltmere harbour, every day.'),
        slide('The night boat', 'Sleep over the sound.'),
        slide('Bring the bicycle', 'No charge before June.'),
      ) +
      `<main class="content"><h1>Where to?</h1>${cards(card('/routes/skerry', 'Skerry', 'Fifty minutes.'), card('/routes/holm', 'Holm', 'An hour and a half.'), card('/routes/night-boat', 'Night boat', 'All night.'))}</main>`,
  },
  {
    path: '/routes',
    title: 'Routes',
    id: 10,
    classes: ['section-routes'],
    body: `<main class="content"><h1>Routes</h1>${cards(card('/routes/skerry', 'Skerry', 'Daily.'), card('/routes/holm', 'Holm', 'Daily.'), card('/routes/outer-bank', 'Outer Bank', 'Summer only.'), card('/routes/night-boat', 'Night boat', 'Fridays.'))}</main>`,
  },
  {
    path: '/routes/skerry',
    title: 'Saltmere to Skerry',
    id: 11,
    classes: ['section-routes', 'is-route'],
    body: `<main class="content"><h1>Skerry</h1><p>The short crossing past the lighthouse.</p>${times(['07:10', 'Skerry', '08:00'], ['12:10', 'Skerry', '13:00'])}</main>`,
  },
  {
    path: '/routes/holm',
    title: 'Saltmere to Holm',
    id: 12,
    classes: ['section-routes', 'is-route'],
    body: `<main class="content"><h1>Holm</h1><p>Over the open sound.</p>${times(['08:00', 'Holm', '09:30'])}</main>`,
  },
  {
    path: '/routes/outer-bank',
    title: 'Saltmere to Outer Bank',
    id: 13,
    classes: ['section-routes', 'is-route'],
    body: `<main class="content"><h1>Outer Bank</h1><p>Seals, and little else.</p>${times(['09:00', 'Outer Bank', '11:20'])}</main>`,
  },
  {
    path: '/routes/night-boat',
    title: 'The night boat',
    id: 14,
    classes: ['section-routes', 'is-route', 'layout-wide'],
    body:
      hero(slide('The night boat', 'Leaves at eleven, arrives with the sun.')) +
      `<main class="content"><h1>Night boat</h1><p>Cabins for two and four.</p></main>`,
  },
  {
    path: '/timetables',
    title: 'Timetables',
    id: 20,
    classes: ['section-timetables'],
    body: `<main class="content"><h1>Timetables</h1>${cards(card('/timetables/summer', 'Summer', 'May to September.'), card('/timetables/winter', 'Winter', 'October to April.'))}</main>`,
  },
  {
    path: '/timetables/summer',
    title: 'Summer timetable',
    id: 21,
    classes: ['section-timetables'],
    body: `<main class="content"><h1>Summer timetable</h1>${notice}${times(['07:10', 'Skerry', '08:00'], ['08:00', 'Holm', '09:30'], ['09:00', 'Outer Bank', '11:20'])}</main>`,
  },
  {
    path: '/timetables/winter',
    title: 'Winter timetable',
    id: 22,
    classes: ['section-timetables', 'season-winter'],
    body: `<main class="content"><h1>Winter timetable</h1>${notice}${times(['08:10', 'Skerry', '09:00'], ['09:30', 'Holm', '11:00'])}</main>`,
  },
  {
    path: '/tickets',
    title: 'Tickets',
    id: 40,
    classes: ['section-tickets'],
    body: `<main class="content"><h1>Tickets</h1><p>Pick a crossing.</p><a class="button" href="/tickets/choose">Start</a></main>`,
  },
  {
    path: '/tickets/choose',
    title: 'Choose a crossing',
    id: 41,
    classes: ['section-tickets', 'is-step'],
    body: `<main class="content">${steps(0)}<h1>Choose a crossing</h1><form class="pay">${promo}<label>Route <select><option>Skerry</option><option>Holm</option></select></label><button class="button">Next</button></form></main>`,
  },
  {
    path: '/tickets/passengers',
    title: 'Passengers',
    id: 43,
    classes: ['section-tickets', 'is-step'],
    body: `<main class="content">${steps(1)}<h1>Who travels?</h1><form class="pay">${promo}<label>Adults <input type="number" value="2"></label><button class="button">Next</button></form></main>`,
  },
  {
    path: '/tickets/pay',
    title: 'Payment',
    id: 46,
    classes: ['section-tickets', 'is-step'],
    body: `<main class="content">${steps(2)}<h1>Payment</h1><form class="pay">${promo}<label>Card number <input autocomplete="off"></label><button class="button">Pay now</button></form></main>`,
  },
  {
    path: '/tickets/done',
    title: 'Thank you',
    id: 47,
    classes: ['section-tickets', 'is-step'],
    body: `<main class="content">${steps(3)}<h1>Thank you</h1><p>Your tickets are on their way.</p></main>`,
  },
  {
    path: '/harbours',
    title: 'Harbours',
    id: 60,
    classes: ['section-harbours'],
    body: `<main class="content"><h1>Harbours</h1>${cards(card('/harbours/saltmere', 'Saltmere', 'The home harbour.'), card('/harbours/skerry', 'Skerry', 'With the camera.'), card('/harbours/holm', 'Holm', 'Behind the breakwater.'))}</main>`,
  },
  {
    path: '/harbours/saltmere',
    title: 'Saltmere harbour',
    id: 61,
    classes: ['section-harbours', 'is-harbour'],
    body: `<main class="content"><h1>Saltmere</h1><p>Parking, café, left luggage.</p></main><script src="/assets/fare-alert.js" async></script>`,
  },
  {
    path: '/harbours/skerry',
    title: 'Skerry harbour',
    id: 62,
    classes: ['section-harbours', 'is-harbour'],
    body: `<main class="content"><h1>Skerry</h1><p>The camera looks over the pier.</p></main><script src="/assets/fare-alert.js" async></script>`,
  },
  {
    path: '/harbours/holm',
    title: 'Holm harbour',
    id: 63,
    classes: ['section-harbours', 'is-harbour'],
    body: `<main class="content"><h1>Holm</h1><p>Shelter in westerly winds.</p></main><script src="/assets/fare-alert.js" async></script>`,
  },
  {
    path: '/journal',
    title: 'Journal',
    id: 70,
    classes: ['section-journal'],
    body: `<main class="content"><h1>Journal</h1>${cards(card('/journal/first-light', 'First light', 'A morning on the early boat.'), card('/journal/new-boat', 'The new boat', 'She has a name.'), card('/journal/storm-watch', 'Storm watch', 'What the crew look for.'))}</main>`,
  },
  {
    path: '/journal/first-light',
    title: 'First light',
    id: null,
    entry: '5f3c9a1e07',
    classes: ['section-journal', 'is-entry'],
    body: `<main class="content"><h1>First light</h1><p>The early boat leaves before the gulls are up.</p></main>`,
  },
  {
    path: '/journal/new-boat',
    title: 'The new boat',
    id: null,
    entry: '60b1d2a77c',
    classes: ['section-journal', 'is-entry'],
    body: `<main class="content"><h1>The new boat</h1><p>The children of Holm chose her name.</p></main>`,
  },
  {
    path: '/journal/storm-watch',
    title: 'Storm watch',
    id: null,
    entry: '61c98e40fb',
    classes: ['section-journal', 'is-entry', 'season-winter'],
    body: `<main class="content"><h1>Storm watch</h1><p>Cloud over Outer Bank means wind by noon.</p></main>`,
  },
  {
    path: '/winter',
    title: 'Winter season',
    id: 80,
    classes: ['season-winter', 'layout-wide'],
    body:
      hero(slide('Winter on the islands', 'Empty beaches, full fireplaces.')) +
      `<main class="content"><h1>Winter season</h1>${notice}</main>`,
  },
  {
    path: '/winter/getting-here',
    title: 'Getting here in winter',
    id: 81,
    classes: ['season-winter'],
    body: `<main class="content"><h1>Getting here</h1><p>Two boats a day.</p></main>`,
  },
  {
    path: '/winter/lights',
    title: 'Festival of lights',
    id: 82,
    classes: ['season-winter'],
    body: `<main class="content"><h1>Festival of lights</h1><p>Every harbour, one evening.</p></main>`,
  },
  {
    path: '/winter/contact',
    title: 'Winter office',
    id: 83,
    classes: ['season-winter'],
    body: `<main class="content"><h1>Winter office</h1><p>Open on weekday mornings.</p></main>`,
  },
  {
    path: '/fare-alert',
    title: 'Fare alert',
    id: 90,
    body: `<main class="content"><h1>Fare alert</h1><form><label>Your e-mail <input type="email"></label> <button class="button">Tell me</button></form></main>`,
  },
  {
    path: '/contact',
    title: 'Contact',
    id: 91,
    body: `<main class="content"><h1>Contact</h1><form><label>Your message <textarea rows="4"></textarea></label> <button class="button">Send</button></form></main>`,
  },
  {
    path: '/legal/terms',
    title: 'Terms of carriage',
    id: null,
    body: `<main class="content"><h1>Terms of carriage</h1><p>Dogs travel free on deck.</p></main>`,
  },
  {
    path: '/legal/privacy',
    title: 'Privacy',
    id: null,
    body: `<main class="content"><h1>Privacy</h1><p>We keep a name for each ticket, and forget it after the crossing.</p></main>`,
  },
];
