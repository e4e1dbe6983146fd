CREATE TABLE `hr_log` (
	`id` integer PRIMARY KEY AUTOINCREMENT NOT NULL,
	`at` text NOT NULL,
	`by` text NOT NULL,
	`what` text NOT NULL,
	`request` text,
	`digest` text,
	`answer` text,
	`detail` text
);
--> statement-breakpoint
CREATE UNIQUE INDEX `hr_log_request_unique` ON `hr_log` (`request`);--> statement-breakpoint
ALTER TABLE `hr_attachment` ADD `account` text;--> statement-breakpoint
ALTER TABLE `hr_change` ADD `log` integer;--> statement-breakpoint
ALTER TABLE `hr_definition` ADD `version` integer DEFAULT 1 NOT NULL;--> statement-breakpoint
ALTER TABLE `hr_definition` ADD `changed_at` text;--> statement-breakpoint
ALTER TABLE `hr_definition` ADD `changed_by` text;--> statement-breakpoint
ALTER TABLE `hr_history` ADD `log` integer;