#include "db/schema.h"

namespace vantro::db {

const std::vector<SchemaVersion>& schema_versions() {
  // Every number is declared bigint: SOCI returns "integer" as 32 bits. Times are
  // milliseconds since 1970 in UTC; digests are lower-case hexadecimal.
  static const std::vector<SchemaVersion> versions{
      {"images, offers, backups, ledger",
       {
           R"(create table images (
                id bigint primary key,
                name text not null unique,
                size bigint not null,
                md5 text not null, sha1 text not null,
                sha256 text not null, sha512 text not null,
                taken_in_at bigint not null,
                taken_in_by text not null))",
           "create index images_by_content on images (sha256)",
           R"(create table offers (
                name text primary key,
                image bigint not null references images (id),
                since bigint not null))",
           // A partial revision has no digests, and the name of its file in partial/.
           R"(create table revisions (
                id bigint primary key,
                address text not null,
                name text not null,
                number bigint not null,
                complete bigint not null,
                size bigint not null,
                announced bigint,
                md5 text, sha1 text, sha256 text, sha512 text,
                partial_file text,
                arrived_at bigint not null,
                protocol text not null,
                why text not null,
                unique (address, name, number)))",
           "create index revisions_by_content on revisions (sha256)",
           R"(create table ledger (
                id bigint primary key,
                at bigint not null,
                event text not null,
                actor text not null,
                protocol text not null,
                name text not null,
                sha256 text,
                bytes bigint not null,
                total bigint,
                duration_ms bigint not null,
                resent bigint not null,
                outcome text not null,
                sentence text not null))",
           "create index ledger_by_time on ledger (at, id)",
       }},
      {"contacts: where a request was heard, and an actor's rows in order",
       {
           "alter table ledger add column heard_on text not null default ''",
           "create index ledger_by_actor on ledger (actor, at, id)",
           "create index ledger_by_content on ledger (sha256, at)",
       }},
      {"the catalogue: facts, names, vouching, what is inside, kits, offers with a past",
       {
           // An image is its bytes; it may have any number of names, images.name is the
           // first. Two records of the same bytes under two names become one.
           R"(create table image_names (
                name text primary key,
                image bigint not null references images (id),
                since bigint not null))",
           R"(insert into image_names (name, image, since)
                select i.name, (select min(j.id) from images j where j.sha256 = i.sha256),
                       i.taken_in_at
                from images i)",
           "create index image_names_by_image on image_names (image)",
           // One row for each period in which a name stood for an image. Empty network or
           // protocols: all of them; protocols are separated by spaces.
           R"(create table named_offers (
                id bigint primary key,
                name text not null,
                image bigint not null references images (id),
                network text not null,
                protocols text not null,
                since bigint not null,
                until bigint,
                ended_at bigint,
                why text not null))",
           R"(insert into named_offers
                select o.rowid, o.name, n.image, '', '', o.since, null, null, ''
                from offers o join images i on i.id = o.image
                join image_names n on n.name = i.name)",
           "drop table offers",
           "alter table named_offers rename to offers",
           "create index offers_by_name on offers (name, since)",
           "create index offers_by_image on offers (image)",
           R"(delete from images where id not in
                (select min(id) from images group by sha256))",
           "drop index images_by_content",
           "create unique index images_by_content on images (sha256)",
           // Lists are separated by line ends. The order of the keys is the order of the
           // versions (text/version.h). Vouching is computed from the vouches.
           "alter table images add column maker text not null default ''",
           "alter table images add column platforms text not null default ''",
           "alter table images add column hardware text not null default ''",
           "alter table images add column role text not null default ''",
           "alter table images add column version text not null default ''",
           "alter table images add column version_key text not null default ''",
           "alter table images add column line text not null default ''",
           "alter table images add column line_key text not null default ''",
           "alter table images add column stage text not null default ''",
           "alter table images add column space bigint",
           "alter table images add column remarks text not null default ''",
           "alter table images add column source text not null default ''",
           "alter table images add column vouching text not null default 'unvouched'",
           "alter table images add column withdrawn_at bigint",
           "alter table images add column withdrawn_why text not null default ''",
           // Bytes: whether they were whole when they were last read, and when that was.
           "alter table images add column whole bigint not null default 1",
           "alter table images add column read_at bigint not null default 0",
           "update images set read_at = taken_in_at",
           "alter table revisions add column whole bigint not null default 1",
           "alter table revisions add column read_at bigint not null default 0",
           "update revisions set read_at = arrived_at",
           // The result of a look inside (probe/report.h).
           "alter table images add column verdict text not null default ''",
           "alter table images add column kind text not null default ''",
           "alter table images add column findings text not null default ''",
           "alter table images add column members_in_all bigint not null default 0",
           R"(create table members (
                image bigint not null references images (id),
                position bigint not null,
                path text not null,
                size bigint not null,
                primary key (image, position)))",
           // The source of lists, in their order: a row for each platform of an image,
           // and one with an empty platform if none is known. Copies of columns of
           // images.
           R"(create table image_platforms (
                image bigint not null references images (id),
                platform text not null,
                role text not null,
                line_key text not null,
                version_key text not null,
                withdrawn bigint not null,
                primary key (image, platform)))",
           "create index images_in_order on image_platforms (platform, role, "
           "version_key desc, image)",
           "create index images_by_line on image_platforms (platform, role, line_key, "
           "version_key, withdrawn)",
           "insert into image_platforms select id, '', '', '', '', 0 from images",
           R"(create table vouches (
                id bigint primary key,
                image bigint not null references images (id),
                at bigint not null,
                who text not null,
                source text not null,
                algorithm text not null,
                hex text not null,
                agrees bigint not null,
                signer text not null,
                retracted_at bigint))",
           "create index vouches_by_image on vouches (image, id)",
           R"(create table documents (
                id bigint primary key,
                image bigint not null references images (id),
                name text not null,
                sha256 text not null,
                size bigint not null,
                added_at bigint not null,
                removed_at bigint,
                whole bigint not null))",
           "create index documents_by_image on documents (image, name)",
           R"(create table kits (
                id bigint primary key,
                name text not null unique,
                remarks text not null,
                made_at bigint not null))",
           R"(create table kit_parts (
                kit bigint not null references kits (id),
                position bigint not null,
                image bigint not null references images (id),
                remark text not null,
                primary key (kit, position)))",
           "create index kit_parts_by_image on kit_parts (image)",
       }},
      {"accounts; who deposited; checksum lists that were handed in",
       {
           // Lists are separated by commas (auth/account.h); the hash holds salt and
           // cost.
           R"(create table accounts (
                name text primary key,
                hash text not null,
                may text not null,
                networks text not null,
                part text not null,
                until bigint,
                active bigint not null,
                remarks text not null,
                made_at bigint not null,
                changed_at bigint not null,
                last_used_at bigint,
                last_used_from text not null))",
           R"(insert into accounts (name, hash, may, networks, part, active, remarks,
                made_at, changed_at, last_used_from)
                values ('anonymous', '', 'fetch, deposit', '', '', 1,
                'everybody without an account', 0, 0, ''))",
           "alter table ledger add column account text not null default ''",
           "alter table revisions add column account text not null default ''",
           "create index revisions_by_time on revisions (address, arrived_at)",
           // Kept until the image that they name arrives, or for some days.
           R"(create table handed_lists (
                account text not null,
                name text not null,
                at bigint not null,
                text text not null,
                primary key (account, name)))",
       }},
      {"public keys that accounts log in with over SSH",
       {
           // The fingerprint is the blob's SHA-256, as SSH programs show it.
           R"(create table account_keys (
                account text not null,
                fingerprint text not null,
                type text not null,
                blob text not null,
                remark text not null,
                added_at bigint not null,
                primary key (account, fingerprint)))",
       }},
      {"devices; whose a backup is; what came again, what changed, what is kept",
       {
           // Times between backups are milliseconds. A network is in CIDR form, and
           // belongs to one device.
           R"(create table devices (
                id bigint primary key,
                name text not null,
                folded text not null unique,
                link_address text not null,
                maker text not null,
                platform text not null,
                hardware text not null,
                site text not null,
                remarks text not null,
                backup_every bigint,
                quota bigint,
                made_at bigint not null,
                changed_at bigint not null))",
           R"(create table device_networks (
                network text primary key,
                device bigint not null references devices (id)))",
           "create index device_networks_by_device on device_networks (device)",
           R"(create table sites (
                name text primary key,
                backup_every bigint not null))",
           // One row for each name that a device gave, or an address that belongs to none
           // (device is 0 then, else address is empty). The columns about the newest
           // revision are copies for lists, so that these need not read every revision.
           R"(create table backup_files (
                id bigint primary key,
                device bigint not null,
                address text not null,
                name text not null,
                last_number bigint not null,
                revisions bigint not null,
                newest bigint,
                newest_number bigint not null,
                newest_at bigint not null,
                seen_at bigint not null,
                size bigint not null,
                kind text not null,
                usual_size bigint,
                broken_at bigint not null,
                unique (device, address, name)))",
           R"(insert into backup_files
                select min(id), 0, address, name, max(number), count(*), null, 0, 0, 0, 0,
                       '', null, 0
                from revisions group by address, name)",
           // last_seen_at: when these bytes last arrived, the first time or again.
           // changed: the one before it differed in more than the parts that do not
           // count; substance: the compared value. Interrupted ones have no kind.
           R"(create table filed_revisions (
                id bigint primary key,
                file bigint not null references backup_files (id),
                number bigint not null,
                address text not null,
                complete bigint not null,
                size bigint not null,
                announced bigint,
                md5 text, sha1 text, sha256 text, sha512 text,
                partial_file text,
                arrived_at bigint not null,
                protocol text not null,
                account text not null,
                why text not null,
                whole bigint not null,
                read_at bigint not null,
                kind text not null,
                is_text bigint not null,
                changed bigint not null,
                substance text not null,
                last_seen_at bigint not null,
                times_seen bigint not null,
                pinned_at bigint,
                pinned_why text not null,
                unique (file, number)))",
           R"(insert into filed_revisions
                select r.id, f.id, r.number, r.address, r.complete, r.size, r.announced,
                       r.md5, r.sha1, r.sha256, r.sha512, r.partial_file, r.arrived_at,
                       r.protocol, r.account, r.why, r.whole, r.read_at,
                       case when r.complete = 1 then 'other' else '' end, 0,
                       r.complete = 1 and exists (select 1 from revisions b
                         where b.address = r.address and b.name = r.name
                         and b.complete = 1 and b.number < r.number),
                       '', r.arrived_at, 1, null, ''
                from revisions r
                join backup_files f on f.address = r.address and f.name = r.name)",
           "drop table revisions",
           "alter table filed_revisions rename to revisions",
           "create index revisions_by_content on revisions (sha256)",
           "create index revisions_by_time on revisions (address, arrived_at)",
           "create index revisions_by_arrival on revisions (arrived_at)",
           "create index revisions_by_change on revisions (changed, arrived_at, file)",
           R"(update backup_files set (newest, newest_number, newest_at, seen_at, size,
                kind) = (select r.id, r.number, r.arrived_at, r.arrived_at, r.size, r.kind
                from revisions r where r.file = backup_files.id and r.complete = 1
                order by r.number desc limit 1)
                where exists (select 1 from revisions r where r.file = backup_files.id
                and r.complete = 1))",
           // One revision under a name of its own, to one device, for a time.
           R"(create table backup_offers (
                id bigint primary key,
                name text not null,
                revision bigint not null references revisions (id),
                device bigint not null,
                address text not null,
                since bigint not null,
                until bigint not null,
                ended_at bigint))",
       }},
      {"whose a row of the ledger is",
       {
           // The device's name; empty where the address was nobody's.
           "alter table ledger add column device text not null default ''",
           "create index ledger_by_device on ledger (device, at, id)",
       }},
      {"interrupted uploads are kept; how an upload's end was known; which "
       "vault this belongs to; each address's last row",
       {
           // Of the plain bytes in partial/; null: they may not be on the disk, and
           // nobody can resume it.
           "alter table revisions add column partial_sha256 text",
           // How we know that a complete one is whole (backup/revision.h).
           "alter table revisions add column ending text not null default ''",
           // One row. `change` grows with every transaction; the same is in
           // vault/identity (repository).
           R"(create table identity (
                id text not null,
                change bigint not null,
                at bigint not null))",
           // The newest row of each address that came over a device's protocol.
           R"(create table last_contacts (
                actor text primary key,
                row bigint not null,
                at bigint not null))",
           R"(insert into last_contacts
                select l.actor, l.id, l.at from ledger l where l.id in
                (select max(id) from ledger where protocol not in ('', 'manage')
                 group by actor))",
           "create index last_contacts_by_time on last_contacts (at, row)",
       }},
      {"the change log; numbers that are never given twice",
       {
           // What snapshots and listeners follow: one row for each object that a
           // transaction has changed. Old rows are removed.
           R"(create table change_log (
                sequence bigint primary key,
                at bigint not null,
                kind text not null,
                object text not null,
                by_whom text not null))",
           "create index change_log_by_time on change_log (at)",
           R"(create table numbers (
                what text primary key,
                last bigint not null))",
           "insert into numbers values ('change_log', 0)",
           "insert into numbers select 'images', coalesce(max(id), 0) from images",
           "insert into numbers select 'offers', coalesce(max(id), 0) from offers",
           "insert into numbers select 'vouches', coalesce(max(id), 0) from vouches",
           "insert into numbers select 'documents', coalesce(max(id), 0) from documents",
           "insert into numbers select 'kits', coalesce(max(id), 0) from kits",
           "insert into numbers select 'backup_files', coalesce(max(id), 0) "
           "from backup_files",
           "insert into numbers select 'revisions', coalesce(max(id), 0) from revisions",
           "insert into numbers select 'backup_offers', coalesce(max(id), 0) "
           "from backup_offers",
           // A removed device may have left its number with its backups.
           R"(insert into numbers select 'devices', coalesce(max(id), 0) from
                (select id from devices union all select device from backup_files
                 union all select device from backup_offers))",
       }},
      {"people, their tokens and log-ins; a ledger that shows what was taken out of it",
       {
           // hash: of a password, or empty. rights: "secrets, push" or "none".
           R"(create table people (
                name text primary key,
                role text not null,
                rights text not null,
                hash text not null,
                until bigint,
                active bigint not null,
                remarks text not null,
                made_at bigint not null,
                changed_at bigint not null,
                last_seen_at bigint,
                last_seen_from text not null))",
           // digest: SHA-256 of the token's text. role and rights: of a person for whom
           // another system vouched; empty: as the person's.
           R"(create table tokens (
                id bigint primary key,
                person text not null,
                label text not null,
                kind text not null,
                digest text not null unique,
                made_at bigint not null,
                until bigint,
                revoked_at bigint,
                last_used_at bigint,
                last_used_from text not null,
                role text not null,
                rights text not null))",
           "create index tokens_by_person on tokens (person, made_at)",
           // Callers without a record: by the socket, or vouched for.
           R"(create table people_seen (
                name text not null,
                origin text not null,
                powers text not null,
                at bigint not null,
                came_from text not null,
                primary key (name, origin)))",
           "insert into numbers values ('tokens', 0)",
           // Where a person came from; and the hash over this row and the previous row's
           // hash (ledger/chain.h), empty in rows from before this version.
           "alter table ledger add column came_from text not null default ''",
           "alter table ledger add column chain text not null default ''",
           // What retention removed: the rows up to last_row, the hash of that row, and
           // the file that they are in.
           R"(create table ledger_cuts (
                last_row bigint primary key,
                chain text not null,
                rows_cut bigint not null,
                file text not null,
                sha256 text not null,
                at bigint not null))",
       }},
      {"backups: what a look inside came to; images: which facts are guessed",
       {
           // A word of probe::Verdict, and what is wrong; both empty until the look. Text
           // is not looked into.
           "alter table revisions add column verdict text not null default ''",
           "alter table revisions add column finding text not null default ''",
           "alter table revisions add column to_look bigint not null default 0",
           "create index revisions_to_look on revisions (id) where to_look = 1",
           // Names of facts that were guessed, separated by line ends.
           "alter table images add column guessed text not null default ''",
           R"(update revisions set to_look = 1
                where complete = 1 and is_text = 0 and kind <> 'configuration')",
       }},
      {"the state of devices, rules for routes, jobs, rollouts",
       {
           // What is known of a device's software (fleet/state.h).
           R"(create table device_state (
                device bigint not null,
                member text not null,
                field text not null,
                item text not null,
                value text not null,
                at bigint not null,
                source text not null,
                primary key (device, member, field, item)))",
           // Whether devices of other platforms may fetch it.
           "alter table offers add column any_platform bigint not null default 0",
           // The columns of a table of rules, as they were typed (jobs/rule.h).
           R"(create table route_rules (
                id bigint primary key,
                folded text not null,
                platform text not null,
                kind text not null,
                role text not null,
                from_versions text not null,
                to_versions text not null,
                needs text not null,
                source text not null))",
           "create index route_rules_by_platform on route_rules (folded, id)",
           // device_name: as it was when the job ended. state: "open", "confirmed",
           // "failed", "withdrawn".
           R"(create table jobs (
                id bigint primary key,
                device bigint not null,
                device_name text not null,
                platform text not null,
                purpose text not null,
                aim text not null,
                from_version text not null,
                slot text not null,
                window_from bigint,
                window_until bigint,
                remark text not null,
                planned_by text not null,
                planned_at bigint not null,
                owner text not null,
                rollout text not null,
                batch bigint not null,
                any_platform bigint not null,
                state text not null,
                ended_at bigint not null,
                ended_by text not null,
                ended_why text not null))",
           "create unique index jobs_open on jobs (device) where state = 'open'",
           "create index jobs_by_time on jobs (planned_at)",
           "create index jobs_by_rollout on jobs (rollout, batch, id)",
           // What the device must fetch, in its order.
           R"(create table job_images (
                job bigint not null,
                number bigint not null,
                name text not null,
                sha256 text not null,
                role text not null,
                version text not null,
                why text not null,
                offered_as text not null,
                primary key (job, number)))",
           "create index job_images_by_content on job_images (sha256)",
           R"(create table job_events (
                id bigint primary key,
                job bigint not null,
                at bigint not null,
                by_whom text not null,
                what text not null,
                number bigint not null,
                sentence text not null))",
           "create index job_events_by_job on job_events (job, at, id)",
           R"(create table rollouts (
                id bigint primary key,
                name text not null,
                folded text not null unique,
                aim text not null,
                batch bigint not null,
                stop_after bigint not null,
                window_from bigint,
                window_until bigint,
                remark text not null,
                planned_by text not null,
                planned_at bigint not null,
                accepted bigint not null,
                withdrawn bigint not null))",
           // The offers that a job has made for itself.
           R"(create table job_offers (
                job bigint not null,
                offer bigint not null,
                name text not null,
                primary key (job, offer)))",
           // Which devices have proved their path, and when.
           R"(create index ledger_canaries on ledger (at, device)
                where name in ('hello', 'hello-1M', 'hello-64M'))",
           "insert into numbers values ('route_rules', 0)",
           "insert into numbers values ('jobs', 0)",
           "insert into numbers values ('job_events', 0)",
           "insert into numbers values ('rollouts', 0)",
       }},
      {"rescue sessions",
       {
           // way: "asks", "calls", "waits". ended_at 0: it is open. summary: lines.
           R"(create table rescues (
                id bigint primary key,
                device bigint not null,
                device_name text not null,
                interface text not null,
                profile text not null,
                platform text not null,
                way text not null,
                over text not null,
                server text not null,
                prefix bigint not null,
                own_address bigint not null,
                opened_at bigint not null,
                opened_by text not null,
                until bigint not null,
                ended_at bigint not null,
                ended_by text not null,
                ended_why text not null,
                summary text not null))",
           "create index rescues_open on rescues (id) where ended_at = 0",
           // What each name gives on its interface: bytes of the vault by their SHA-256,
           // or a text.
           R"(create table rescue_names (
                rescue bigint not null,
                number bigint not null,
                name text not null,
                stands_for text not null,
                sha256 text not null,
                content text not null,
                size bigint not null,
                backup bigint not null,
                primary key (rescue, number)))",
           R"(create table rescue_events (
                id bigint primary key,
                rescue bigint not null,
                at bigint not null,
                what text not null,
                sentence text not null))",
           "create index rescue_events_by_rescue on rescue_events (rescue, at, id)",
           "insert into numbers values ('rescues', 0)",
           "insert into numbers values ('rescue_events', 0)",
           // The fingerprints of the SSH host keys of devices that received a push, by
           // address and port.
           R"(create table known_hosts (
                address text primary key,
                fingerprint text not null,
                since bigint not null))",
       }},
      {"log-ins that were made with a token; refusals by time; the newest of each "
       "line",
       {
           // The token that a log-in was made with, and with which it ends; 0: a
           // password.
           "alter table tokens add column made_with bigint not null default 0",
           "create index ledger_refused on ledger (at, id) where outcome = 'refused'",
           // Whether it is the newest of its platform, role and line that is not
           // withdrawn; kept with each change (catalog/catalog.cc).
           "alter table image_platforms add column newest bigint not null default 0",
           "update image_platforms set newest = 1 where withdrawn = 0 and version_key <> "
           "'' and not exists (select 1 from image_platforms q where q.platform = "
           "image_platforms.platform and q.role = image_platforms.role and q.line_key = "
           "image_platforms.line_key and q.version_key > image_platforms.version_key and "
           "q.withdrawn = 0)",
           "create index images_newest on image_platforms (platform, role, version_key "
           "desc, image) where newest = 1",
           // The offers that are open now, among all that ever were.
           "create index offers_standing on offers (image) where ended_at is null",
           "create index images_damaged on images (id) where whole = 0",
           "create index images_contradicted on images (id) where vouching = "
           "'contradicted'",
       }},
      {"which request a row of the ledger is from; notices",
       {
           "alter table ledger add column request text not null default ''",
           "create index ledger_by_request on ledger (request) where request <> ''",
           "create index revisions_damaged on revisions (id) where whole = 0",
           // Events that were reported and are not over: each is reported once.
           R"(create table notice_conditions (
                event text not null,
                subject text not null,
                since bigint not null,
                sentence text not null,
                primary key (event, subject)))",
           // What is to be sent, until its receiver has it.
           R"(create table notices_waiting (
                id bigint primary key,
                receiver text not null,
                uid text not null,
                event text not null,
                subject text not null,
                is_over bigint not null,
                at bigint not null,
                sentence text not null,
                tries bigint not null,
                next_try_at bigint not null,
                last_failure text not null))",
           "create index notices_due on notices_waiting (receiver, id)",
           "insert into numbers values ('notices', 0)",
       }},
      {"other words for the stage of a release",
       {
           "update images set stage = 'new' where stage = 'early'",
           "update images set stage = 'proven' where stage = 'general'",
           "update images set stage = 'retiring' where stage = 'ending'",
       }},
      {"the offers that end by themselves",
       {
           "create index offers_ending on offers (until) where ended_at is null and "
           "until is not null",
       }},
      {"digests that follow after a large file was acknowledged",
       {
           "create index images_lacking_digests on images (id) where md5 = '' or sha1 = "
           "'' or sha512 = ''",
           "create index revisions_lacking_digests on revisions (id) where complete = 1 "
           "and (md5 is null or sha1 is null or sha512 is null)",
       }},
      {"several nodes",
       {
           // The programs that share this database, by their clock that is the
           // database's. run: random, of the running program; empty: it has stopped.
           // left: whether it may have left something behind that is to be cleared up.
           // watches_until: until then the others are to write their boards.
           R"(create table nodes (
                name text not null primary key,
                run text not null,
                host text not null,
                version text not null,
                started_at bigint not null,
                seen_at bigint not null,
                left_behind bigint not null,
                watches_until bigint not null))",
           // Work that one node does for all. term grows with each new holder.
           R"(create table leases (
                work text not null primary key,
                node text not null,
                run text not null,
                term bigint not null,
                until bigint not null))",
           // What a node shows the others, when it did so last: its transfers, and who
           // was heard.
           R"(create table boards (
                node text not null primary key,
                run text not null,
                at bigint not null))",
           R"(create table board_transfers (
                node text not null,
                id bigint not null,
                direction text not null,
                state text not null,
                protocol text not null,
                peer text not null,
                came_from text not null,
                device text not null,
                account text not null,
                heard_on text not null,
                request text not null,
                name text not null,
                sha256 text not null,
                bytes bigint not null,
                total bigint,
                rate bigint not null,
                resent bigint not null,
                unanswered bigint not null,
                stalled_ms bigint,
                began_at bigint not null,
                duration_ms bigint not null,
                note text not null,
                job text not null,
                rescue bigint not null,
                caution text not null,
                why text not null,
                primary key (node, id)))",
           R"(create table board_contacts (
                node text not null,
                address text not null,
                first_at bigint not null,
                last_at bigint not null,
                heard_on text not null,
                requests bigint not null,
                unanswered bigint not null,
                strays bigint not null,
                stray_at bigint not null,
                stray_why text not null,
                primary key (node, address)))",
           // The node that it is about; empty: it is about all of them.
           "alter table notice_conditions add column node text not null default ''",
           // The node whose network interface it uses.
           "alter table rescues add column node text not null default ''",
       }},
      {"mirrors",
       {
           // Headquarters: the mirrors by the name of the person that each is, and their
           // last reports. current_at: when one last had everything; rows_upto: the last
           // of its ledger's rows that was recorded here, by its numbers.
           R"(create table mirrors (
                name text not null primary key,
                wants text not null,
                version text not null,
                came_from text not null,
                first_at bigint not null,
                seen_at bigint not null,
                current_at bigint not null,
                tag text not null,
                held bigint not null,
                lacking bigint not null,
                missing bigint not null,
                rate bigint not null,
                rows_waiting bigint not null,
                trouble text not null,
                rows_upto bigint not null,
                sync_at bigint not null))",
           // The mirror that a row is from; empty: this server.
           "alter table ledger add column via text not null default ''",
           "create index ledger_by_mirror on ledger (via, at, id) where via <> ''",
           // A mirror: the records that headquarters told (mirror/record.h), the lists as
           // texts with their lengths. written: the row that it stands for is in its
           // table. gone_at: headquarters names it no more; 0: it does.
           R"(create table mirror_records (
                tab text not null,
                row_key text not null,
                digest text not null,
                columns text not null,
                needs text not null,
                written bigint not null,
                gone_at bigint not null,
                primary key (tab, row_key)))",
           "create index mirror_records_waiting on mirror_records (tab) where written = "
           "0",
           R"(create table mirror_contents (
                sha256 text not null primary key,
                size bigint not null,
                held_at bigint not null))",
           // One row. rows_sent: the last row of the ledger that headquarters has.
           R"(create table mirror_standing (
                headquarters text not null primary key,
                tag text not null,
                sequence bigint not null,
                as_of bigint not null,
                heard_at bigint not null,
                rows_sent bigint not null))",
       }},
      {"the ledger by event, outcome and name; images by name, platform and maker",
       {
           "create index ledger_by_event on ledger (event, at, id)",
           "drop index ledger_refused",
           "create index ledger_by_outcome on ledger (outcome, at, id) where outcome <> "
           "'complete'",
           "create index ledger_by_name on ledger (lower(name), at, id)",
           // The names in it, in lower case: there are fewer of them than rows.
           "create table ledger_names (folded text not null primary key)",
           "insert into ledger_names select distinct lower(name) from ledger",
           "create index images_by_platform on image_platforms (lower(platform), "
           "platform, role, version_key desc, image)",
           // The maker of the image, in lower case.
           "alter table image_platforms add column maker text not null default ''",
           "update image_platforms set maker = (select lower(i.maker) from images i "
           "where i.id = image_platforms.image)",
           "create index images_by_maker on image_platforms (maker, platform, role, "
           "version_key desc, image)",
       }},
  };
  return versions;
}

}  // namespace vantro::db
