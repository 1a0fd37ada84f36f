import ContrastIcon from "@mui/icons-material/Contrast";
import PersonIcon from "@mui/icons-material/PersonOutlined";
import LogoutIcon from "@mui/icons-material/Logout";
import Alert from "@mui/material/Alert";
import AppBar from "@mui/material/AppBar";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Container from "@mui/material/Container";
import IconButton from "@mui/material/IconButton";
import { useColorScheme } from "@mui/material/styles";
import Toolbar from "@mui/material/Toolbar";
import Tooltip from "@mui/material/Tooltip";
import Typography from "@mui/material/Typography";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, type ReactNode } from "react";
import { NavLink, useLocation } from "react-router";

import { at } from "../api/base";
import { client, dataOf, type Me } from "../api/client";
import { useLiveState } from "../live/Live";

const places = [
  { to: "/", label: "Feeds", engineers: false },
  { to: "/morning", label: "Morning", engineers: true },
  { to: "/events", label: "Events", engineers: true },
  { to: "/search", label: "Search", engineers: true },
  { to: "/ways-in", label: "Ways in", engineers: true },
  { to: "/usage", label: "Usage", engineers: true },
  { to: "/alerts", label: "Alerts", engineers: true },
  { to: "/people", label: "People", engineers: true },
];

export function Frame({ me, children }: { me: Me; children: ReactNode }) {
  const { connected } = useLiveState();
  const { pathname } = useLocation();
  const nav = useRef<HTMLElement>(null);
  useEffect(() => {
    nav.current?.querySelector(".active")?.scrollIntoView({ block: "nearest", inline: "center" });
  }, [pathname]);
  return (
    <Box sx={{ minHeight: "100vh", pb: 6 }}>
      <AppBar position="sticky" color="default" sx={{ bgcolor: "background.paper", borderBottom: 1, borderColor: "divider" }}>
        <Toolbar variant="dense" sx={{ gap: { xs: 0.5, sm: 1.5 }, minHeight: 56 }}>
          <Box component="img" src={at("/player/mark.svg")} alt="" sx={{ width: 28, height: 28 }} />
          <Typography sx={{ fontWeight: 750, fontSize: "1.05rem", mr: { xs: 0, sm: 2 }, display: { xs: "none", sm: "block" } }}>
            Webostrum
          </Typography>
          <Box component="nav" ref={nav} sx={{ display: "flex", flex: 1, minWidth: 0, overflowX: "auto", gap: 0.25, scrollbarWidth: "none", maskImage: { xs: "linear-gradient(90deg, #000 88%, transparent)", md: "none" }, pr: { xs: 3, md: 0 } }}>
            {places.filter((p) => !p.engineers || me.role === "engineer").map((p) => (
              <Button key={p.to} component={NavLink} to={p.to} end color="inherit" sx={{ flexShrink: 0, minWidth: 0, px: 1.25, "&.active": { color: "primary.main", bgcolor: "action.hover" } }}>
                {p.label}
              </Button>
            ))}
          </Box>
          <Button component={NavLink} to="/account" color="inherit" startIcon={<PersonIcon fontSize="small" />} aria-label={`Your account, ${me.name}`} sx={{ minWidth: 0, "& .MuiButton-startIcon": { mr: { xs: 0, sm: 1 } } }}>
            <Box component="span" sx={{ display: { xs: "none", sm: "inline" } }}>
              {me.name}
            </Box>
          </Button>
          <ModeButton />
          <SignOutButton />
        </Toolbar>
      </AppBar>
      {!connected && <Lost />}
      <Container maxWidth="lg" sx={{ pt: 3 }}>
        {children}
      </Container>
    </Box>
  );
}

/** Shown only when the stream stays away: at loading it is there in no time. */
function Lost() {
  return (
    <Alert
      severity="warning"
      square
      role="status"
      sx={{ animation: "appear 0s 2s both", "@keyframes appear": { from: { display: "none" }, to: { display: "flex" } } }}
    >
      The service does not answer. What you see is what it said last; it is asked again and again.
    </Alert>
  );
}

function ModeButton() {
  const { mode, systemMode, setMode } = useColorScheme();
  const dark = (mode === "system" ? systemMode : mode) === "dark";
  const label = dark ? "Light colours" : "Dark colours";
  return (
    <Tooltip title={label}>
      <IconButton aria-label={label} onClick={() => setMode(dark ? "light" : "dark")}>
        <ContrastIcon fontSize="small" />
      </IconButton>
    </Tooltip>
  );
}

function SignOutButton() {
  const queries = useQueryClient();
  const signOut = useMutation({
    mutationFn: async () => dataOf(await client.POST("/api/v1/sign-out")),
    onSuccess: () => {
      queries.clear();
      location.assign(at("/"));
    },
  });
  return (
    <Tooltip title="Sign out">
      <IconButton aria-label="Sign out" onClick={() => signOut.mutate()} loading={signOut.isPending}>
        <LogoutIcon fontSize="small" />
      </IconButton>
    </Tooltip>
  );
}
