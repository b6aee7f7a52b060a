import "@fontsource-variable/atkinson-hyperlegible-next/wght.css";
import "@fontsource-variable/atkinson-hyperlegible-mono/wght.css";
import "./theme/print.css";
import { ChakraProvider } from "@chakra-ui/react";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter, Navigate, Route, Routes } from "react-router";
import { Login } from "./access/login";
import { AddressesView } from "./addresses/view";
import { Refused } from "./api/client";
import { Notices } from "./parts/notice";
import { PlaceView } from "./place/view";
import { PortsView } from "./ports/view";
import { applyMode } from "./shell/mode";
import { Shell } from "./shell/shell";
import { SitesView } from "./sites/view";
import { SurveyView } from "./survey/view";
import { system } from "./theme";

applyMode();

const client = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: Number.POSITIVE_INFINITY,
      retry: (tries, error) => !(error instanceof Refused) && tries < 2,
      refetchOnWindowFocus: false,
    },
  },
});

const root = document.getElementById("root");
if (root)
  createRoot(root).render(
    <StrictMode>
      <ChakraProvider value={system}>
        <QueryClientProvider client={client}>
          <Notices>
            <BrowserRouter useTransitions={false}>
              <Routes>
                <Route path="/login" element={<Login />} />
                <Route path="/" element={<SitesView />} />
                <Route path="/s/:site" element={<Shell />}>
                  <Route index element={<Navigate to="survey" replace />} />
                  <Route path="survey" element={<SurveyView />} />
                  <Route path="addresses" element={<AddressesView />} />
                  <Route path="ports" element={<PortsView />} />
                  <Route path="place" element={<PlaceView />} />
                </Route>
                <Route path="*" element={<Navigate to="/" replace />} />
              </Routes>
            </BrowserRouter>
          </Notices>
        </QueryClientProvider>
      </ChakraProvider>
    </StrictMode>,
  );
