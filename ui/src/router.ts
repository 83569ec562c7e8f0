import { createRouter, createWebHistory } from "vue-router";
import Bookshelf from "./stages/shelf/Bookshelf.vue";

// The stages in the order of the day; their numbers are their keys.
export const stages = [
  { key: "1", name: "rig-up", title: "Rig up" },
  { key: "2", name: "line-up", title: "Line up" },
  { key: "3", name: "compose", title: "Compose" },
  { key: "4", name: "prove", title: "Prove" },
  { key: "5", name: "shoot", title: "Shoot" },
  { key: "6", name: "wrap", title: "Wrap" },
] as const;

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: "/", name: "shelf", component: Bookshelf },
    {
      path: "/shot/:id/rig-up/:sheet(rig|order|ground|power|connect|balance)?",
      name: "rig-up",
      component: () => import("./stages/rigup/RigUp.vue"),
    },
    {
      path: "/shot/:id/line-up/:sheet(axes|lens|points|sync)?",
      name: "line-up",
      component: () => import("./stages/lineup/LineUp.vue"),
    },
    {
      path: "/shot/:id/compose",
      name: "compose",
      component: () => import("./stages/compose/Compose.vue"),
    },
    { path: "/shot/:id/prove", name: "prove", component: () => import("./stages/prove/Prove.vue") },
    {
      path: "/shot/:id/shoot/:sheet(passes|frames)?",
      name: "shoot",
      component: () => import("./stages/shoot/Shoot.vue"),
    },
    { path: "/shot/:id/wrap", name: "wrap", component: () => import("./stages/wrap/Wrap.vue") },
    {
      path: "/camera",
      name: "camera",
      component: () => import("./stages/camera/CameraWindow.vue"),
    },
    { path: "/:rest(.*)*", redirect: "/" },
  ],
});
