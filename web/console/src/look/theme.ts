import { createTheme } from "@mui/material/styles";

// Spruce, lamplight and paper: the colours of a mountain railway.
const font = '"Archivo Variable", system-ui, sans-serif';

export const theme = createTheme({
  cssVariables: { colorSchemeSelector: "data" },
  colorSchemes: {
    light: {
      palette: {
        primary: { main: "#12514a" },
        secondary: { main: "#a8620f" },
        success: { main: "#237a4b" },
        warning: { main: "#b06a00" },
        error: { main: "#b3312c" },
        background: { default: "#f4f1e8", paper: "#fffdf8" },
        text: { primary: "#1b2625", secondary: "#56625f" },
        divider: "#ddd7c7",
      },
    },
    dark: {
      palette: {
        primary: { main: "#7cc7b6" },
        secondary: { main: "#f2b84b" },
        success: { main: "#6cc48f" },
        warning: { main: "#f2b84b" },
        error: { main: "#ef8a80" },
        background: { default: "#10181a", paper: "#172224" },
        text: { primary: "#ecebe4", secondary: "#a3afac" },
        divider: "#2c3a3b",
      },
    },
  },
  shape: { borderRadius: 8 },
  typography: {
    fontFamily: font,
    h1: { fontSize: "1.65rem", fontWeight: 700, letterSpacing: "-0.01em" },
    h2: { fontSize: "1.05rem", fontWeight: 650 },
    subtitle2: { fontSize: "0.78rem", fontWeight: 600, letterSpacing: "0.03em" },
    button: { textTransform: "none", fontWeight: 600 },
  },
  components: {
    MuiPaper: { defaultProps: { elevation: 0, variant: "outlined" } },
    MuiButton: { defaultProps: { disableElevation: true } },
    MuiAppBar: { defaultProps: { elevation: 0, variant: "elevation" } },
    MuiTextField: { defaultProps: { size: "small", fullWidth: true } },
    MuiTableCell: { styleOverrides: { head: { fontWeight: 600 } } },
  },
});
