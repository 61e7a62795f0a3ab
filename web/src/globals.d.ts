/** Version of the app's package, injected by the build. */
declare const __APP_VERSION__: string;
