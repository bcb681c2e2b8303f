import Box from "@mui/material/Box";
import { useEffect, type ReactNode } from "react";
import { createBrowserRouter, Outlet, RouterProvider } from "react-router";
import { Refusal } from "./api/client";
import { useMe, useShop, useViews } from "./api/hooks";
import { BenchPage } from "./bench/BenchPage";
import { GatePage } from "./gate/GatePage";
import { VehiclePage } from "./vehicle/VehiclePage";
import { IntakeNew } from "./intake/Intake";
import { IntakeOfJob } from "./intake/IntakeOfJob";
import { HandBackPage } from "./hand-back/HandBackPage";
import { ConfirmPassword } from "./people/confirm";
import { MePage } from "./people/MePage";
import { writesAs } from "./outbox/outbox";
import { ProofPage } from "./proof/ProofPage";
import { RackPage } from "./rack/RackPage";
import { RecordPage } from "./record/RecordPage";
import { RepairPage } from "./repair/RepairPage";
import { ReportPage } from "./report/ReportPage";
import { ShopPage } from "./shop/ShopPage";
import { SignIn } from "./sign-in/SignIn";
import { WelcomePage } from "./sign-in/WelcomePage";
import { KeysNow } from "./ui/KeysNow";
import { ErrorLine } from "./ui/parts";

/** Signed in: the page. Session over: the sign-in lies above it, and what was typed stays beneath. */
const Frame = () => {
  const me = useMe();
  const name = me.data?.name;
  const id = me.data?.id;
  useEffect(() => {
    if (id !== undefined && name !== undefined) writesAs(id, name);
  }, [id, name]);
  const out = me.error instanceof Refusal && me.error.status === 401;
  if (me.isPending) return null;
  if (out && !me.data) return <SignIn />;
  if (me.error && !out)
    return (
      <Box sx={{ p: 4 }}>
        <ErrorLine>{me.error.message}</ErrorLine>
      </Box>
    );
  return (
    <>
      {me.data && (
        <ShopFirst>
          <Outlet />
        </ShopFirst>
      )}
      {me.data && <ConfirmPassword />}
      {me.data && <KeysNow />}
      {out && <SignIn again={name} />}
    </>
  );
};

/** The shop's currency, time zone and units are known before the first sum or time is shown. */
const ShopFirst = ({ children }: { children: ReactNode }) => {
  const shop = useShop();
  useViews();
  return shop.isPending ? null : children;
};

const NotHere = () => (
  <Box sx={{ p: 4, fontSize: 20 }}>
    There is no such page. <a href="/">To the rack</a>
  </Box>
);

const router = createBrowserRouter([
  { path: "/welcome", element: <WelcomePage /> },
  {
    element: <Frame />,
    children: [
      { path: "/", element: <RackPage /> },
      { path: "/new", element: <IntakeNew /> },
      { path: "/jobs/:id/intake", element: <IntakeOfJob /> },
      { path: "/jobs/:id/gate", element: <GatePage /> },
      { path: "/jobs/:id/bench", element: <BenchPage /> },
      { path: "/jobs/:id/vehicle", element: <VehiclePage /> },
      { path: "/jobs/:id/repair", element: <RepairPage /> },
      { path: "/jobs/:id/proof", element: <ProofPage /> },
      { path: "/jobs/:id/hand-back", element: <HandBackPage /> },
      { path: "/jobs/:id/report", element: <ReportPage /> },
      { path: "/jobs/:id/record", element: <RecordPage /> },
      { path: "/shop", element: <ShopPage /> },
      { path: "/me", element: <MePage /> },
      { path: "*", element: <NotHere /> },
    ],
  },
]);

export const App = () => <RouterProvider router={router} />;
