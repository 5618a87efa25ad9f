import { createRouter, createWebHistory } from "vue-router";
import { readCodeAgain } from "./logic/page-code.js";
import { followPlaces } from "./logic/place.js";

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: "/", name: "home", component: () => import("./pages/HomePage.vue") },
    { path: "/sign-in", name: "sign-in", component: () => import("./pages/SignInPage.vue") },
    { path: "/workflows", name: "workflows", component: () => import("./pages/WorkflowsPage.vue") },
    {
      path: "/add-workflow",
      name: "new-workflow",
      component: () => import("./pages/NewWorkflowPage.vue"),
    },
    {
      path: "/workflows/:name",
      name: "workflow",
      component: () => import("./pages/WorkflowPage.vue"),
      props: true,
    },
    { path: "/apis", name: "apis", component: () => import("./pages/ApisPage.vue") },
    { path: "/add-api", name: "new-api", component: () => import("./pages/AddApiPage.vue") },
    { path: "/apis/:name", name: "api", component: () => import("./pages/ApiPage.vue"), props: true },
    {
      path: "/apis/:name/:id",
      name: "operation",
      component: () => import("./pages/OperationPage.vue"),
      props: true,
    },
    { path: "/credentials", name: "credentials", component: () => import("./pages/CredentialsPage.vue") },
    {
      path: "/add-credential",
      name: "new-credential",
      component: () => import("./pages/NewCredentialPage.vue"),
    },
    {
      path: "/credentials/:name",
      name: "credential",
      component: () => import("./pages/CredentialPage.vue"),
      props: true,
    },
    { path: "/runs", name: "runs", component: () => import("./pages/RunsPage.vue") },
    { path: "/runs/:id", name: "run", component: () => import("./pages/RunPage.vue"), props: true },
    {
      path: "/runs/:id/compare/:other",
      name: "compare",
      component: () => import("./pages/ComparePage.vue"),
      props: true,
    },
    { path: "/network", redirect: "/settings/network" },
    {
      path: "/settings/:part?",
      name: "settings",
      component: () => import("./pages/SettingsPage.vue"),
      props: true,
    },
    {
      path: "/runs/:id/expressions",
      name: "expressions",
      component: () => import("./pages/ExpressionsPage.vue"),
      props: true,
    },
    { path: "/help/:page?", name: "help", component: () => import("./pages/HelpPage.vue"), props: true },
    { path: "/:rest(.*)*", name: "nowhere", component: () => import("./pages/NowherePage.vue") },
  ],
});

followPlaces(router);

const titles: Record<string, string> = {
  home: "Home",
  apis: "APIs",
  "new-api": "Add an API",
  credentials: "Credentials",
  "new-credential": "Add a credential",
  workflows: "Workflows",
  "new-workflow": "New workflow",
  runs: "Runs",
  help: "Help",
  run: "Run",
  compare: "Compare runs",
  expressions: "Expressions",
  settings: "Settings",
  "sign-in": "Sign in",
};
router.afterEach((to, from) => {
  const { name, id } = to.params;
  const what = [id, name, titles[String(to.name)]].flat().filter(Boolean).join(" – ");
  document.title = what === "" ? "Copper Kettle" : `${what} · Copper Kettle`;
  // Whoever goes by keyboard goes on in the page, and not in the menu.
  if (to.path !== from.path)
    requestAnimationFrame(() => document.querySelector<HTMLElement>("main")?.focus({ preventScroll: true }));
});
readCodeAgain(router);
