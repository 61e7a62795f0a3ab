/** Of the app, by its package; put in by the build. */
declare const __APP_VERSION__: string;
