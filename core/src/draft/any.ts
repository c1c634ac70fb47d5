import type { Contract, ContractFiles } from '../contract';
import type { FlowDocument } from '../flow/document';
import type { DraftOptions } from './common';
import { draftHttp, planHttp } from './http';
import { planRest, type PlannedOperation } from './plan';
import { draftRest } from './rest';

/** A plan for a REST API over a contract of any kind. */
export function planFor(contract: Contract): PlannedOperation[] {
  return contract.format === 'openapi' ? planHttp(contract) : planRest(contract);
}

/** A REST API over a contract of any kind. */
export function draftFor(
  contract: Contract,
  source: ContractFiles,
  plan: readonly PlannedOperation[] = planFor(contract),
  options: DraftOptions = {},
): FlowDocument {
  return contract.format === 'openapi'
    ? draftHttp(contract, source, plan, options)
    : draftRest(contract, source, plan, options);
}
