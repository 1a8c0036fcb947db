import "@fontsource-variable/instrument-sans/index.css";
import "./style.css";

import { StrictMode } from "react";
import { createRoot } from "react-dom/client";

import { App } from "./app";
import { leaveKeysToComposing } from "./ui/composing";
import { ErrorBoundary } from "./ui/error_boundary";

leaveKeysToComposing();
createRoot(document.getElementById("root")!).render(
  <StrictMode>
    <ErrorBoundary>
      <App />
    </ErrorBoundary>
  </StrictMode>,
);
