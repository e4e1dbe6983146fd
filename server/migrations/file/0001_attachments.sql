CREATE TABLE `hr_attachment` (
	`id` integer PRIMARY KEY AUTOINCREMENT NOT NULL,
	`name` text NOT NULL,
	`type` text NOT NULL,
	`size` integer NOT NULL,
	`sha256` text NOT NULL,
	`at` text NOT NULL,
	`by` text NOT NULL,
	`preview` blob,
	`bytes` blob NOT NULL
);
--> statement-breakpoint
ALTER TABLE `hr_change` ADD `before` text;--> statement-breakpoint
ALTER TABLE `hr_change` ADD `after` text;--> statement-breakpoint
ALTER TABLE `hr_change` ADD `history_mark` integer;--> statement-breakpoint
ALTER TABLE `hr_change` ADD `undone_at` text;--> statement-breakpoint
ALTER TABLE `hr_change` ADD `undone_by` text;