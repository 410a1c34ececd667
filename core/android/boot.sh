#!/system/bin/sh
# Written by Roster: packages that were taken out of the image. Each line of
# masks and of erased names one, its folder and the partition. Over what is masked
# an empty folder is bound at each start. Where two starts in a row did not finish,
# all of it is undone, what was erased is written back, and this script goes too.
home=/data/adb/roster
[ -d "$home" ] || exit 0
tries=0
[ -f "$home/tries" ] && read -r tries < "$home/tries"
case $tries in [0-9]) ;; *) tries=0 ;; esac

# ours FOLDER: can it be a package's folder on an image? What a file says is not
# trusted.
ours() {
	case $1 in
	*[!A-Za-z0-9_./-]* | *..*) return 1 ;;
	/system/*/* | /system_ext/*/* | /product/*/* | /vendor/*/* | /odm/*/* | /oem/*/*) return 0 ;;
	esac
	return 1
}

if [ "$tries" -ge 2 ]; then
	[ -f "$home/masks" ] && cat "$home/masks" >> "$home/healed"
	rm -f "$home/masks"
	if [ -f "$home/erased" ]; then
		# What has no copy here any more stays erased, and listed.
		while read -r name folder at; do
			if ours "$folder" && [ -d "$home/saved/$name" ] && [ ! -d "$folder" ]; then
				mount -o remount,rw "$at"
				cp -a "$home/saved/$name" "$folder" && echo "$name $folder $at" >> "$home/healed"
				restorecon -R "$folder"
				mount -o remount,ro "$at"
			fi
			[ -d "$folder" ] || echo "$name $folder $at"
		done < "$home/erased" > "$home/erased.new"
		mv "$home/erased.new" "$home/erased"
	fi
	rm -f "$home/tries" /data/adb/post-fs-data.d/roster.sh
	exit 0
fi
echo $((tries + 1)) > "$home/tries"
if [ -f "$home/masks" ]; then
	while read -r _ folder _; do
		ours "$folder" && [ -d "$folder" ] && mount -o bind "$home/empty" "$folder"
	done < "$home/masks"
fi
(
	until [ "$(getprop sys.boot_completed)" = 1 ]; do sleep 1; done
	rm -f "$home/tries"
) &
