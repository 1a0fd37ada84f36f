// Reads the capture time that stands in the QR clock of a picture, milliseconds since
// 1970, or 0. part is the share of the height that is looked at, at the lower right.
(picture, part = 0.3) => {
  const w = picture?.videoWidth || picture?.naturalWidth || picture?.width;
  const h = picture?.videoHeight || picture?.naturalHeight || picture?.height;
  if (!w || !h) return 0;
  const from = Math.round(h * part);
  const side = from < 50 ? 29 * 8 : from; // a pixel a module is too few
  const pen = Object.assign(document.createElement("canvas"), { width: side, height: side }).getContext("2d");
  pen.imageSmoothingEnabled = false;
  pen.drawImage(picture, w - from, h - from, from, from, 0, 0, side, side);
  const at = Number(jsQR(pen.getImageData(0, 0, side, side).data, side, side)?.data);
  return at > 1e12 ? at : 0;
}
