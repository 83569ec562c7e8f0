import "@fontsource/b612/latin-400.css";
import "@fontsource/b612/latin-700.css";
import "@fontsource/barlow-condensed/latin-600.css";
import "vuetify/styles";
import "./theme/base.css";
import { createPinia } from "pinia";
import { createApp } from "vue";
import App from "./App.vue";
import { router } from "./router";
import { vuetify } from "./theme/vuetify";

createApp(App).use(createPinia()).use(router).use(vuetify).mount("#app");
