import "@fontsource-variable/atkinson-hyperlegible-next/wght.css";
import "@fontsource-variable/atkinson-hyperlegible-mono/wght.css";
import "./theme/print.css";
import { ChakraProvider } from "@chakra-ui/react";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter, Navigate, Route, Routes } from "react-router";
import { Refused } from "./api/client";
import { later } from "./parts/later";
import { Notices } from "./parts/notice";
import { Lost } from "./shell/lost";
import { applyMode } from "./shell/mode";
import { Shell } from "./shell/shell";
import { system } from "./theme";

// A station is loaded when it is first opened.
const Login = later(() => import("./access/login").then((m) => m.Login));
const SitesView = later(() => import("./sites/view").then((m) => m.SitesView));
const SurveyView = later(() => import("./survey/view").then((m) => m.SurveyView));
const AddressesView = later(() => import("./addresses/view").then((m) => m.AddressesView));
const PortsView = later(() => import("./ports/view").then((m) => m.PortsView));
const ChecksView = later(() => import("./checks/view").then((m) => m.ChecksView));
const PlaceView = later(() => import("./place/view").then((m) => m.PlaceView));

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
                <Route path="checks" element={<ChecksView />} />
                <Route path="*" element={<Lost />} />
              </Route>
              <Route path="*" element={<Lost />} />
            </Routes>
          </BrowserRouter>
          <Notices />
        </QueryClientProvider>
      </ChakraProvider>
    </StrictMode>,
  );
