import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { useEffect, useRef } from "react";

/** Motion JPEG in an image; its connection ends with the element. */
export function MotionJPEG({ src, label }: { src: string; label: string }) {
  const image = useRef<HTMLImageElement>(null);
  useEffect(() => {
    const element = image.current;
    if (element) element.src = src;
    return () => {
      if (element) element.src = ""; // removing the element alone leaves the connection open
    };
  }, [src]);
  return (
    <>
      <Box component="img" ref={image} alt={`Preview of ${label}`} sx={{ width: "100%", height: "100%", objectFit: "contain", bgcolor: "#000", display: "block" }} />
      <Typography variant="body2" sx={{ position: "absolute", left: 10, top: 8, color: "#fff", textShadow: "0 1px 3px #000" }}>
        {label}
      </Typography>
    </>
  );
}
