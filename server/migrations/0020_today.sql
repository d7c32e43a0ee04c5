-- Up Migration

-- whom no mail reaches, in the order in which they are named
create index people_bounced on people (name) where address_state = 'bounced';
