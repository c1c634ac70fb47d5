export { credentialSchema, credentialsSchema, type CredentialDocument } from './schema';
export { compileCredentials, type Credentials, type Presented } from './present';
export { withUsernameToken } from './username-token';
export { checkCredentials, suggestCredential } from './check';
