/** Light or dark, kept in this browser; app.html applies it before the first paint. */
export function switchLight(): void {
  const dark = document.documentElement.classList.toggle('dark');
  localStorage.setItem('light', dark ? 'dark' : 'light');
}
