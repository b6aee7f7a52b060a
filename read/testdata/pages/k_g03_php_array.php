<?php
$dhcp['lan']['map'][0]['mac'] = '00:00:5e:00:53:21';
$dhcp['lan']['map'][0]['ip'] = '10.131.3.21';
$dhcp['lan']['map'][0]['host'] = 'till';
$dhcp['lan']['map'][1]['mac'] = '00:00:5e:00:53:22';
$dhcp['lan']['map'][1]['ip'] = '10.131.3.22';
$dhcp['lan']['map'][1]['host'] = 'scale';
