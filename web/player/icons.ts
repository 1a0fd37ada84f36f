// Drawn for this player, on a grid of 24.
const svg = (body: string) =>
  `<svg viewBox="0 0 24 24" width="22" height="22" fill="none" stroke="currentColor" stroke-width="1.9" stroke-linecap="round" stroke-linejoin="round" aria-hidden="true">${body}</svg>`;

const speaker = '<path d="M4 9.5v5h3.5L12 18.5v-13L7.5 9.5z"/>';

export const icons = {
  play: svg('<path d="M8 5.5v13l10.5-6.5z"/>'),
  pause: svg('<path d="M8.5 5.5v13M15.5 5.5v13"/>'),
  back: svg('<path d="M4.5 12a7.5 7.5 0 1 0 2.6-5.7"/><path d="M7.5 2.8v4h4"/>'),
  compass: svg('<circle cx="12" cy="12" r="8.5"/><path d="m15.5 8.5-2 5-5 2 2-5z"/>'),
  headset: svg('<path d="M3.5 8.5h17v7h-5.2L12 13l-3.3 2.5H3.5z"/>'),
  audioOn: svg(`${speaker}<path d="M15.5 9a4.2 4.2 0 0 1 0 6M18 6.5a7.8 7.8 0 0 1 0 11"/>`),
  audioOff: svg(`${speaker}<path d="m16 9.5 5 5M21 9.5l-5 5"/>`),
  info: svg('<circle cx="12" cy="12" r="8.5"/><path d="M12 11v5.2M12 7.7v.1"/>'),
  pip: svg('<path d="M20.5 11V6.5a1 1 0 0 0-1-1h-15a1 1 0 0 0-1 1v10a1 1 0 0 0 1 1H10"/><rect x="13" y="13.5" width="7.5" height="5.5" rx="1"/>'),
  full: svg('<path d="M4 9V5h4M20 9V5h-4M4 15v4h4M20 15v4h-4"/>'),
  fullExit: svg('<path d="M8 5v4H4M16 5v4h4M8 19v-4H4M16 19v-4h4"/>'),
} as const;

export type IconName = keyof typeof icons;
