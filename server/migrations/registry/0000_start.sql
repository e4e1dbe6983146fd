CREATE TABLE `access` (
	`file` text NOT NULL,
	`account` text NOT NULL,
	`role` text NOT NULL,
	PRIMARY KEY(`file`, `account`),
	FOREIGN KEY (`file`) REFERENCES `file`(`id`) ON UPDATE no action ON DELETE cascade,
	FOREIGN KEY (`account`) REFERENCES `account`(`id`) ON UPDATE no action ON DELETE cascade
);
--> statement-breakpoint
CREATE TABLE `account` (
	`id` text PRIMARY KEY NOT NULL,
	`login` text NOT NULL,
	`name` text NOT NULL,
	`password_hash` text NOT NULL,
	`maker` integer NOT NULL,
	`created_at` text NOT NULL
);
--> statement-breakpoint
CREATE UNIQUE INDEX `account_login_unique` ON `account` (`login`);--> statement-breakpoint
CREATE TABLE `draft` (
	`file` text NOT NULL,
	`account` text NOT NULL,
	`document` text NOT NULL,
	`changed_at` text NOT NULL,
	PRIMARY KEY(`file`, `account`),
	FOREIGN KEY (`file`) REFERENCES `file`(`id`) ON UPDATE no action ON DELETE cascade,
	FOREIGN KEY (`account`) REFERENCES `account`(`id`) ON UPDATE no action ON DELETE cascade
);
--> statement-breakpoint
CREATE TABLE `fact` (
	`name` text PRIMARY KEY NOT NULL,
	`value` text NOT NULL
);
--> statement-breakpoint
CREATE TABLE `file` (
	`id` text PRIMARY KEY NOT NULL,
	`name` text NOT NULL,
	`created_at` text NOT NULL
);
--> statement-breakpoint
CREATE UNIQUE INDEX `file_name_unique` ON `file` (`name`);--> statement-breakpoint
CREATE TABLE `session` (
	`id` text PRIMARY KEY NOT NULL,
	`account` text NOT NULL,
	`expires_at` text NOT NULL,
	FOREIGN KEY (`account`) REFERENCES `account`(`id`) ON UPDATE no action ON DELETE cascade
);
