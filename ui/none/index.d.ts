export type ApexOptions = never;
