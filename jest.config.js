const transform = {
  '\\.[cm]?[jt]sx?$': ['@swc/jest', { jsc: { target: 'es2023', transform: { react: { runtime: 'automatic' } } } }],
};
// These packages ship as ES modules only.
const transformIgnorePatterns = ['/node_modules/(?!(d3-[a-z]+|internmap)/)'];
const project = (displayName, testMatch) => ({
  displayName,
  testMatch,
  transform,
  transformIgnorePatterns,
  testEnvironment: 'node',
  // What a test leaves in its globals is deleted after it: less memory, and no warnings about it.
  testEnvironmentOptions: { globalsCleanup: 'on' },
  // Tests run inside a vm, where every use of a global is a slow look-up; these are passed to each module instead.
  sandboxInjectedGlobals: ['Math', 'Number', 'Infinity'],
});

export default {
  projects: [
    project('core', ['<rootDir>/core/src/**/*.test.ts']),
    project('server', ['<rootDir>/server/src/**/*.test.ts']),
    project('web', ['<rootDir>/web/src/**/*.test.ts']),
    // The test machines are shared and stall for seconds now and then: a failing test is retried once, and the first
    // failure is shown.
    { ...project('e2e', ['<rootDir>/e2e/**/*.test.ts']), setupFilesAfterEnv: ['<rootDir>/e2e/once-more.cjs'] },
  ],
  testTimeout: 300_000,
};
