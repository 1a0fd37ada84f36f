import Box from "@mui/material/Box";
import { encode } from "uqr";

/** A QR code (ISO/IEC 18004), dark on light whatever the colours of the page are. */
export function QrCode({ text, size }: { text: string; size: number }) {
  const { data, size: modules } = encode(text, { ecc: "M", border: 3 });
  const path = data.flatMap((row, y) => row.map((dark, x) => (dark ? `M${x} ${y}h1v1h-1z` : ""))).join("");
  return (
    <Box component="svg" role="img" aria-label={`QR code of ${text}`} viewBox={`0 0 ${modules} ${modules}`} shapeRendering="crispEdges" sx={{ width: size, height: size, bgcolor: "#fff", borderRadius: 1 }}>
      <path d={path} fill="#10181a" />
    </Box>
  );
}
