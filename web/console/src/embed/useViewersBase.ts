import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { service } from "../api/base";
import type { Address } from "../api/client";
import { addressesQuery } from "../api/queries";

interface ViewersBase {
  addresses: Address[];
  base: string;
  setBase: (base: string) => void;
}

/** The address that viewers come by: the outside one where the settings name it, until another is chosen. */
export function useViewersBase(): ViewersBase {
  const addresses = useQuery(addressesQuery).data ?? [];
  const [chosen, setBase] = useState<string>();
  return { addresses, base: chosen ?? addresses.find((a) => a.outside)?.url ?? service, setBase };
}
