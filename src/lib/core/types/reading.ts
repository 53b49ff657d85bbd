/** How written values are to be read: settled for each column of a file; what people type is read as `plainReading`. */
export interface Reading {
  readonly decimal: '.' | ',';
  readonly dateOrder: 'ymd' | 'dmy' | 'mdy';
  /** The IANA time zone of instants that name none; UTC when left out. */
  readonly zone?: string;
  /** The Directory, where people are read by name or email. */
  readonly people?: readonly { readonly id: number; readonly name: string; readonly email: string }[];
}
