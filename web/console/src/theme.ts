import type { ThemeConfig } from "antd";

/** The console's look: sailcloth and ink, one warm accent; square corners, so that pictures keep theirs. */
export const theme: ThemeConfig = {
  token: {
    colorPrimary: "#b8451f",
    colorInfo: "#123c4a",
    colorText: "#1d2b30",
    colorTextSecondary: "#5c6a6c",
    colorBgLayout: "#ece8df",
    colorBgContainer: "#fbf9f4",
    colorBorder: "#cfc8b8",
    colorBorderSecondary: "#ded8ca",
    borderRadius: 3,
    fontSize: 14,
    fontFamily: '"Source Sans 3", "Noto Sans", "DejaVu Sans", system-ui, sans-serif',
  },
  components: {
    Layout: { headerBg: "#123c4a", siderBg: "#123c4a", bodyBg: "#ece8df" },
    Slider: { trackBg: "#b8451f", trackHoverBg: "#b8451f" },
  },
};
