/** What an operation of a GraphQL backend looks like on the wire: one document, its variables by name. */
export interface GraphqlOperation {
  readonly kind: 'query' | 'mutation';
  /** Text of the document: one operation and the fragments it uses. */
  readonly query: string;
  readonly operationName: string;
  /** Key of the only field of the answer: what stands there is the reply. Undefined where there are several; the whole data is the reply then. */
  readonly take?: string;
  /** Nobody wrote the document: it asks for everything of one field. */
  readonly drafted?: true;
}
