CREATE TABLE `hr_letter` (
	`letter` text PRIMARY KEY NOT NULL,
	`folded` text NOT NULL,
	`sorted` text NOT NULL
) WITHOUT ROWID;
--> statement-breakpoint
DROP INDEX `hr_log_request_unique`;--> statement-breakpoint
CREATE UNIQUE INDEX `hr_log_name` ON `hr_log` (`request`) WHERE request IS NOT NULL;