import Box from "@mui/material/Box";
import { createBrowserRouter, Outlet, RouterProvider } from "react-router";
import { Refusal } from "./api/client";
import { useMe } from "./api/hooks";
import { BenchPage } from "./bench/BenchPage";
import { GatePage } from "./gate/GatePage";
import { IntakeNew, IntakeOfJob } from "./intake/Intake";
import { RackPage } from "./rack/RackPage";
import { RecordPage } from "./record/RecordPage";
import { RepairPage } from "./repair/RepairPage";
import { SignIn } from "./sign-in/SignIn";
import { ErrorLine } from "./ui/parts";

/** Signed in: the page. Session over: the sign-in lies above it, and what was typed stays beneath. */
const Frame = () => {
  const me = useMe();
  const out = me.error instanceof Refusal && me.error.status === 401;
  if (me.isPending) return null;
  if (out && !me.data) return <SignIn again={false} />;
  if (me.error && !out)
    return (
      <Box sx={{ p: 4 }}>
        <ErrorLine>{me.error.message}</ErrorLine>
      </Box>
    );
  return (
    <>
      <Outlet />
      {out && <SignIn again />}
    </>
  );
};

const NotHere = () => (
  <Box sx={{ p: 4, fontSize: 20 }}>
    There is no such page. <a href="/">To the rack</a>
  </Box>
);

const router = createBrowserRouter([
  {
    element: <Frame />,
    children: [
      { path: "/", element: <RackPage /> },
      { path: "/new", element: <IntakeNew /> },
      { path: "/jobs/:id/intake", element: <IntakeOfJob /> },
      { path: "/jobs/:id/gate", element: <GatePage /> },
      { path: "/jobs/:id/bench", element: <BenchPage /> },
      { path: "/jobs/:id/repair", element: <RepairPage /> },
      { path: "/jobs/:id/record", element: <RecordPage /> },
      { path: "*", element: <NotHere /> },
    ],
  },
]);

export const App = () => <RouterProvider router={router} />;
