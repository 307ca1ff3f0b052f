import { Spin } from "antd";
import { Suspense, lazy } from "react";
import { client } from "./api/client";
import { NavLink, Navigate, Route, Routes } from "react-router";

const CachePage = lazy(() => import("./cache/CachePage"));
const LibraryPage = lazy(() => import("./library/LibraryPage"));
const PagesPage = lazy(() => import("./pages/PagesPage"));
const PlacePage = lazy(() => import("./places/PlacePage"));
const PlacesPage = lazy(() => import("./places/PlacesPage"));
const ReportPage = lazy(() => import("./pages/ReportPage"));
const RulesPage = lazy(() => import("./rules/RulesPage"));
const WorkbenchPage = lazy(() => import("./workbench/WorkbenchPage"));

/** Ends this browser's session; the next call says that it is not signed in. */
async function signOut() {
  await client.POST("/api/sign-out", {});
  location.assign("/console/");
}

/** The frame around every page. */
export function Console() {
  return (
    <div className="frame">
      <nav className="rail" aria-label="Pages">
        <div className="name">
          <svg viewBox="0 0 32 32" width="24" height="24" aria-hidden="true">
            <path d="M16 1 27 11 16 27 5 11z" fill="#fbf9f4" />
            <path d="M16 1v26L5 11z" fill="#e2613b" />
            <path d="M16 27q4 2 0 4" fill="none" stroke="#fbf9f4" strokeWidth="2" />
          </svg>
          Kivet
        </div>
        <NavLink to="/library">Library</NavLink>
        <NavLink to="/workbench">Workbench</NavLink>
        <NavLink to="/places">Places</NavLink>
        <NavLink to="/rules">Rules</NavLink>
        <NavLink to="/pages">Pages</NavLink>
        <NavLink to="/cache">Cache</NavLink>
        <button type="button" onClick={() => { void signOut(); }}>Sign out</button>
      </nav>
      <main>
        <Suspense fallback={<Spin />}>
          <Routes>
            <Route path="library" element={<LibraryPage />} />
            <Route path="workbench" element={<WorkbenchPage />} />
            <Route path="places" element={<PlacesPage />} />
            <Route path="places/:name" element={<PlacePage />} />
            <Route path="rules" element={<RulesPage />} />
            <Route path="pages" element={<PagesPage />} />
            <Route path="pages/:id" element={<ReportPage />} />
            <Route path="cache" element={<CachePage />} />
            <Route path="*" element={<Navigate to={{ pathname: "/library", search: location.search }} replace />} />
          </Routes>
        </Suspense>
      </main>
    </div>
  );
}
