/** As much of the reader of Data Packages as the tests use; the library has no types of its own. */
declare module 'datapackage' {
  export const Package: {
    load(descriptor: object, options: { readonly basePath: string; readonly strict: boolean }): Promise<unknown>;
  };
}
