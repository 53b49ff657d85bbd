export const Keyword: number;
export const Constant: number;
export const CaseWord: number;
export const EndWord: number;
