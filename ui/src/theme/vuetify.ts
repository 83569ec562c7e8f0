import { createVuetify } from "vuetify";
import { aliases, mdi } from "vuetify/iconsets/mdi-svg";

const paper = {
  dark: false,
  colors: {
    background: "#E9E4D6",
    surface: "#F8F5EC",
    primary: "#1C2B3A",
    secondary: "#5B6875",
    error: "#B3261E",
    success: "#2E6B4F",
    warning: "#A8441F",
    "on-background": "#1C2B3A",
    "on-surface": "#1C2B3A",
  },
};
const blackout = {
  dark: true,
  colors: {
    background: "#100E0B",
    surface: "#191611",
    primary: "#EADFC8",
    secondary: "#9C917C",
    error: "#E0503F",
    success: "#7FB58E",
    warning: "#E08A4A",
    "on-background": "#EADFC8",
    "on-surface": "#EADFC8",
    "on-primary": "#191611",
  },
};

export const vuetify = createVuetify({
  icons: { defaultSet: "mdi", aliases, sets: { mdi } },
  theme: { defaultTheme: "paper", themes: { paper, blackout } },
  defaults: {
    global: { ripple: false },
    VTextField: { variant: "outlined", density: "compact", rounded: 0, hideDetails: "auto" },
    VSelect: { variant: "outlined", density: "compact", rounded: 0, hideDetails: "auto" },
    VDialog: { maxWidth: 560, scrim: "#000" },
    VTooltip: { openDelay: 400 },
  },
});
