ALTER TABLE `account` ADD `colours` text DEFAULT 'system' NOT NULL;--> statement-breakpoint
ALTER TABLE `account` ADD `size` text DEFAULT 'usual' NOT NULL;