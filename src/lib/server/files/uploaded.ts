export interface UploadedFile {
  readonly name: string;
  /** Where the contents wait; whoever reads them removes the file. */
  readonly path: string;
}

/** A file with the name of the part of the request that it came in. */
export interface ReceivedFile extends UploadedFile {
  readonly part: string;
}
