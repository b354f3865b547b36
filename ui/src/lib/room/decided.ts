import { verdicts } from '$api/kinds';

/** What a verdict is called. */
export const word = (verdict: string) => verdicts.find((one) => one.name === verdict)?.word ?? verdict;
