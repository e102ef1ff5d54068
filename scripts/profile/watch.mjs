/** What a page is told to watch in itself. Each is sent there as text, and uses nothing beside it. */

/** Indices of the figure's largest mesh: fewer are drawn of anything else at once. */
export const FIGURE = 10000;

/** In the page: says when something as large as the figure was drawn, at the next picture. */
export function watchFigure(least) {
  const { drawElements } = WebGL2RenderingContext.prototype;
  WebGL2RenderingContext.prototype.drawElements = function (mode, count, ...rest) {
    drawElements.call(this, mode, count, ...rest);
    if (count >= least && !window.figureSeen) {
      window.figureSeen = true;
      this.finish();
    }
  };
}

/** In the page: how long each save took on its thread, and how many bytes it wrote. */
export function watchSaving() {
  window.saving = { times: [], sizes: [] };
  new PerformanceObserver((list) => {
    for (const { duration } of list.getEntriesByName('evlay: save')) {
      window.saving.times.push(duration);
      window.saving.sizes.push(0);
    }
  }).observe({ entryTypes: ['measure'] });
  const { put } = IDBObjectStore.prototype;
  IDBObjectStore.prototype.put = function (value, ...key) {
    const { sizes } = window.saving;
    const size = typeof value === 'string' ? value.length : JSON.stringify(value).length;
    if (sizes.length > 0) sizes[sizes.length - 1] += size;
    return put.call(this, value, ...key);
  };
}
