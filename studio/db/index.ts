export * as schema from './schema';
export { migrateDatabase } from './migrate';
