/** Milliseconds after which it is asked again whether a picture has come. */
const ASK_AGAIN = 30;

/**
 * Reads what was just drawn, without waiting for the graphics card: the page goes on until the picture has come. To be called in
 * the task that drew it. Undefined where the context was lost meanwhile.
 */
export async function readPicture(gl: WebGL2RenderingContext): Promise<ImageData | undefined> {
  const [width, height] = [gl.drawingBufferWidth, gl.drawingBufferHeight];
  const buffer = gl.createBuffer();
  gl.bindBuffer(gl.PIXEL_PACK_BUFFER, buffer);
  gl.bufferData(gl.PIXEL_PACK_BUFFER, 4 * width * height, gl.STREAM_READ);
  gl.readPixels(0, 0, width, height, gl.RGBA, gl.UNSIGNED_BYTE, 0);
  gl.bindBuffer(gl.PIXEL_PACK_BUFFER, null);
  const come = gl.fenceSync(gl.SYNC_GPU_COMMANDS_COMPLETE, 0);
  gl.flush();
  try {
    while (come && !gl.isContextLost() && gl.getSyncParameter(come, gl.SYNC_STATUS) !== gl.SIGNALED)
      await new Promise((resolve) => setTimeout(resolve, ASK_AGAIN));
    if (!come || gl.isContextLost()) return undefined;
    const rows = new Uint8Array(4 * width * height);
    gl.bindBuffer(gl.PIXEL_PACK_BUFFER, buffer);
    gl.getBufferSubData(gl.PIXEL_PACK_BUFFER, 0, rows);
    gl.bindBuffer(gl.PIXEL_PACK_BUFFER, null);
    return fromBelow(rows, width, height);
  } finally {
    gl.deleteSync(come);
    gl.deleteBuffer(buffer);
  }
}

/** A picture of rows that begin with the lowest one. */
function fromBelow(rows: Uint8Array, width: number, height: number): ImageData {
  const picture = new ImageData(width, height);
  const row = 4 * width;
  for (let y = 0; y < height; y++)
    picture.data.set(rows.subarray(row * (height - 1 - y), row * (height - y)), row * y);
  return picture;
}
