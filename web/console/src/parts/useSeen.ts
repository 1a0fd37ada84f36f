import { useEffect, useRef, useState, type RefObject } from "react";

/** Whether an element is on the screen, or nearly. */
export function useSeen<T extends HTMLElement>(): [RefObject<T | null>, boolean] {
  const ref = useRef<T>(null);
  const [seen, setSeen] = useState(false);
  useEffect(() => {
    const element = ref.current;
    if (!element) return;
    const watch = new IntersectionObserver((entries) => setSeen(entries.some((e) => e.isIntersecting)), { rootMargin: "120px" });
    watch.observe(element);
    return () => watch.disconnect();
  }, []);
  return [ref, seen];
}
