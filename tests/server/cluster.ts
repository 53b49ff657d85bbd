import pg from 'pg';
import { migrateCatalogue } from '../../src/lib/server/database/migrate';
import { openPool } from '../../src/lib/server/database/pool';
import { databaseUrl, templateName } from './database';

/** Once a run: a template database with the catalogue, which every test file copies. */
export default async function makeTemplate(): Promise<void> {
  const admin = new pg.Client({ connectionString: databaseUrl('postgres') });
  await admin.connect();
  await admin.query(`drop database if exists ${templateName}`);
  await admin.query(`create database ${templateName}`);
  await admin.end();
  const pool = openPool(databaseUrl(templateName), 1);
  await migrateCatalogue(pool);
  await pool.end();
}
